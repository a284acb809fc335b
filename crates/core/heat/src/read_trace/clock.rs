//! Times as logs write them.

pub(super) fn number(text: &str, decimal_comma: bool) -> Option<f64> {
    let t = text.trim().trim_matches('"');
    let t = if decimal_comma {
        t.replace(',', ".")
    } else {
        t.to_owned()
    };
    t.parse::<f64>()
        .ok()
        .filter(|v| v.is_finite() && v.abs() < 1e15)
}

/// A day [s].
pub(super) const DAY_S: f64 = 86_400.0;

/// Seconds of a time: a number, `HH:MM:SS.s`, `MM:SS`, or a date and a time after ISO 8601 (of which the day
/// counts too). Zones are left out: a log doesn't change them half-way.
pub(super) fn clock(text: &str, decimal_comma: bool) -> Option<f64> {
    let t = text.trim().trim_matches('"');
    if !t.contains(':') {
        return number(t, decimal_comma);
    }
    let (date, time) = match t.split_once(['T', ' ']) {
        Some((d, rest)) => (Some(d), rest),
        None => (None, t),
    };
    let time = time.trim_end_matches('Z');
    let time = time
        .split(['+', '−'])
        .next()
        .unwrap_or(time)
        .replace(',', ".");
    let parts: Vec<f64> = time
        .split(':')
        .map(|p| {
            p.parse::<f64>()
                .ok()
                .filter(|v| (0.0..100_000.0).contains(v))
        })
        .collect::<Option<_>>()?;
    let day_s = match parts[..] {
        [h, m, s] => h * 3600.0 + m * 60.0 + s,
        [m, s] => m * 60.0 + s,
        _ => return None,
    };
    let Some(date) = date else {
        return Some(day_s);
    };
    let ymd: Vec<i64> = date
        .split('-')
        .map(|p| p.parse().ok())
        .collect::<Option<_>>()?;
    let [y, m, d] = ymd[..] else { return None };
    // Days from civil (Hinnant 2013, from memory): exact in the Gregorian calendar.
    let y = if m <= 2 { y - 1 } else { y };
    let era = y.div_euclid(400);
    let of_era = y - era * 400;
    let of_year = (153 * ((m + 9) % 12) + 2) / 5 + d - 1;
    // OK because a date of four digits is far inside a double.
    #[allow(clippy::cast_precision_loss)]
    let days = (era * 146_097 + of_era * 365 + of_era / 4 - of_era / 100 + of_year) as f64;
    Some(days * DAY_S + day_s)
}

/// Seconds from a clock at the start of the line: `12:34:56.7`, `[12:34:56]`, a date and a time, or `83.25`.
pub(super) fn leading_clock(line: &str) -> Option<f64> {
    let line = line.trim_start().trim_start_matches('[');
    let mut words = line.split_whitespace();
    let first = words.next()?;
    // A date with its time behind a space.
    let stamp = match words.next() {
        Some(time) if first.contains('-') && time.contains(':') => format!("{first} {time}"),
        _ => first.to_owned(),
    };
    let stamp = stamp.trim_end_matches([']', ',', ';']);
    let told = match stamp.matches(':').count() {
        0 => stamp.contains('.'),
        n => n == 2,
    };
    if told { clock(stamp, false) } else { None }
}
