//! Numbers by their names in a report of a printer, whatever stands around them.

/// The last number that stands behind `name` as a word of its own, e.g. `Ku: 50.1`; none where there is none. `name` in
/// lower case.
pub(super) fn last_named(report: &str, name: &str) -> Option<f64> {
    let text = report.to_lowercase();
    let number_at = |at: usize| {
        // "tu" is no part of "autotune"; "bed_kp" is a Kp all the same.
        let inside = text[..at]
            .chars()
            .next_back()
            .is_some_and(char::is_alphabetic);
        let rest = text[at + name.len()..].trim_start_matches([':', '=', ' ', '\t']);
        let end = rest
            .find(|c: char| !(c.is_ascii_digit() || c == '.'))
            .unwrap_or(rest.len());
        (!inside).then(|| rest[..end].parse().ok()).flatten()
    };
    text.rmatch_indices(name).find_map(|(at, _)| number_at(at))
}

#[cfg(test)]
mod tests {
    use super::last_named;

    #[test]
    fn the_last_number_behind_the_name_is_taken_and_no_part_of_a_word() {
        let report = "Ku: 40.1 Tu: 19.9\n Ku = 50 Tu:18.7 \nPID Autotune finished! Put tu into 3.";
        assert_eq!(last_named(report, "ku"), Some(50.0));
        assert_eq!(last_named(report, "tu"), Some(18.7));
        assert_eq!(last_named("#define bed_kp 210.56", "kp"), Some(210.56));
        for none in ["", "tu", "autotune 5", "tu -"] {
            assert_eq!(last_named(none, "tu"), None, "{none}");
        }
    }
}
