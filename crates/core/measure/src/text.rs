//! Plain words for numbers and lists.

/// "a", "a and b", "a, b and c".
#[must_use]
pub fn join_and(items: &[&str]) -> String {
    join(items, "and")
}

/// "a", "a or b", "a, b or c".
#[must_use]
pub fn join_or(items: &[&str]) -> String {
    join(items, "or")
}

fn join(items: &[&str], word: &str) -> String {
    match items {
        [] => String::new(),
        [one] => (*one).to_owned(),
        [head @ .., last] => format!("{} {word} {last}", head.join(", ")),
    }
}

/// The same with a capital letter in front.
#[must_use]
pub fn capital(text: &str) -> String {
    let mut chars = text.chars();
    chars
        .next()
        .map(|c| c.to_uppercase().collect::<String>() + chars.as_str())
        .unwrap_or_default()
}

/// Decimals that an uncertainty deserves, so that it shows `significant` digits; 0 to 5.
///
/// Source: JCGM 100:2008, 7.2.6 (at most two significant digits for an uncertainty).
/// Domain: any; a zero or non-finite uncertainty gives 5 or 0 decimals.
#[must_use]
pub fn decimals_for(uncertainty: f64, significant: i32) -> usize {
    if !uncertainty.is_finite() {
        return 0;
    }
    if uncertainty <= 0.0 {
        return 5;
    }
    let places = f64::from(significant - 1) - uncertainty.log10().floor();
    // OK because clamped to 0..=5 before the cast.
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    let n = places.clamp(0.0, 5.0) as usize;
    n
}

/// A number with a fixed count of decimals and no "-0".
#[must_use]
pub fn fixed(value: f64, decimals: usize) -> String {
    let text = format!("{value:.decimals$}");
    if text.starts_with('-') && text.trim_start_matches(['-', '0', '.']).is_empty() {
        text[1..].to_owned()
    } else {
        text
    }
}

/// A number without trailing zeros, at most `max_decimals` of them: `0.5`, `120`, `418.62`.
#[must_use]
pub fn plain(value: f64, max_decimals: usize) -> String {
    let text = fixed(value, max_decimals);
    if text.contains('.') {
        text.trim_end_matches('0').trim_end_matches('.').to_owned()
    } else {
        text
    }
}

/// "92.75 ±0.57 mm": the uncertainty to two digits, the value to the same place.
#[must_use]
pub fn with_uncertainty(value: f64, uncertainty: f64, unit: &str) -> String {
    let decimals = decimals_for(uncertainty, 2);
    let unit = spaced(unit);
    format!(
        "{} ±{}{unit}",
        fixed(value, decimals),
        fixed(uncertainty, decimals)
    )
}

/// " mm" for "mm", "" for "".
#[must_use]
pub fn spaced(unit: &str) -> String {
    if unit.is_empty() {
        String::new()
    } else {
        format!(" {unit}")
    }
}

/// "2 h 20 min", "45 min".
#[must_use]
pub fn duration_min(minutes: f64) -> String {
    let whole = minutes.max(0.0).round();
    let hours = (whole / 60.0).floor();
    let rest = whole - 60.0 * hours;
    if hours < 1.0 {
        format!("{rest:.0} min")
    } else if rest < 1.0 {
        format!("{hours:.0} h")
    } else {
        format!("{hours:.0} h {rest:.0} min")
    }
}

/// "35 s", "4 min", "2 h 20 min": below two minutes in seconds.
#[must_use]
pub fn duration_s(seconds: f64) -> String {
    if seconds < 120.0 {
        format!("{:.0} s", seconds.max(0.0))
    } else {
        duration_min(seconds / 60.0)
    }
}

/// "one run", "3 runs".
#[must_use]
pub fn count(n: usize, one: &str, many: &str) -> String {
    if n == 1 {
        format!("one {one}")
    } else {
        format!("{n} {many}")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn digits_follow_the_uncertainty() {
        assert_eq!(with_uncertainty(92.7512, 0.5731, "mm"), "92.75 ±0.57 mm");
        assert_eq!(
            with_uncertainty(100.27, 12.3, "steps/mm"),
            "100 ±12 steps/mm"
        );
        assert_eq!(with_uncertainty(-0.000_01, 0.02, "mm"), "0.000 ±0.020 mm");
        assert_eq!(plain(418.620, 3), "418.62");
        assert_eq!(plain(120.0, 2), "120");
        assert_eq!(fixed(-0.001, 1), "0.0");
    }

    #[test]
    fn lists_and_durations_read_like_speech() {
        assert_eq!(join_and(&["a", "b", "c"]), "a, b and c");
        assert_eq!(join_or(&["a", "b"]), "a or b");
        assert_eq!(duration_min(140.0), "2 h 20 min");
        assert_eq!(duration_min(60.0), "1 h");
        assert_eq!(duration_s(119.4), "119 s");
        assert_eq!(duration_s(8_400.0), "2 h 20 min");
        assert_eq!(duration_min(44.6), "45 min");
    }
}
