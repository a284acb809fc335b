//! A temperature log as a file: CSV (RFC 4180) with a heading, that any program reads.

use wattotherm_heat::{Sample, Trace};

use crate::StoreError;

/// What kind of content it is.
pub(crate) const MEDIA: &str = "text/csv";
/// Columns: seconds, temperature and target [°C], duty and part fan, 0 to 1.
const HEADING: [&str; 5] = ["t_s", "temp_c", "target_c", "duty", "fan"];

type Row = (f64, f64, Option<f64>, Option<f64>, Option<f64>);

fn trace_of(rows: impl IntoIterator<Item = Row>) -> Trace {
    Trace::new(
        rows.into_iter()
            .map(|(t_s, temp_c, target_c, duty, fan)| Sample {
                t_s,
                temp_c,
                target_c,
                duty,
                fan,
            }),
    )
}

/// As tables kept it before schema 7: JSON rows.
pub(crate) fn from_rows(json: &str) -> Result<Trace, StoreError> {
    let rows: Vec<Row> = serde_json::from_str(json)?;
    Ok(trace_of(rows))
}

fn rounded(v: f64, digits: f64) -> f64 {
    (v * digits).round() / digits
}

/// The log as CSV: time and temperature to a thousandth, duty to a ten-thousandth.
pub(crate) fn write(trace: &Trace) -> String {
    use std::fmt::Write as _;
    let mut out = HEADING.join(",");
    out.push_str("\r\n");
    let cell = |v: Option<f64>| v.map(|v| v.to_string()).unwrap_or_default();
    for s in &trace.samples {
        // Writing to a text can't fail.
        let _ = write!(
            out,
            "{},{},{},{},{}\r\n",
            rounded(s.t_s, 1e3),
            rounded(s.temp_c, 1e3),
            cell(s.target_c),
            cell(s.duty.map(|d| rounded(d, 1e4))),
            cell(s.fan)
        );
    }
    out
}

/// Reads such a file.
pub(crate) fn read(file: impl std::io::Read) -> Result<Trace, StoreError> {
    let mut csv = csv::Reader::from_reader(std::io::BufReader::new(file));
    let rows: Vec<Row> = csv.deserialize().collect::<Result<_, _>>()?;
    Ok(trace_of(rows))
}
