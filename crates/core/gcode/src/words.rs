//! A command as words: a letter and a number each.

/// One command in words, e.g. `M92` with `E` 93.
///
/// Source: words after NIST IR 6556, 3.3 (RS274/NGC) and ISO 6983-1. Numbers are f64 and bounded.
#[derive(Clone, Debug, PartialEq)]
pub struct Words {
    code: String,
    words: Vec<(char, Option<f64>)>,
}

/// What is wrong with a command.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("column {column}: {says}")]
pub struct WordError {
    /// Column, from 1.
    pub column: usize,
    /// What is wrong.
    pub says: String,
}

/// Longest command read; the protocol's lines are shorter.
const MOST_CHARS: usize = 96;

impl Words {
    /// Reads one command. A comment after `;` is dropped; letters may be small.
    /// # Errors
    /// [`WordError`] with the column of the first thing that is no word.
    pub fn read(line: &str) -> Result<Self, WordError> {
        let wrong = |column: usize, says: &str| WordError {
            column: column + 1,
            says: says.to_owned(),
        };
        let line = line.split(';').next().unwrap_or_default().trim_end();
        if line.chars().count() > MOST_CHARS {
            return Err(wrong(MOST_CHARS, "the line is too long"));
        }
        let chars: Vec<char> = line.chars().collect();
        let mut words: Vec<(char, Option<f64>)> = Vec::new();
        let mut i = 0;
        while i < chars.len() {
            let c = chars[i];
            if c == ' ' || c == '\t' {
                i += 1;
                continue;
            }
            if !c.is_ascii_alphabetic() {
                return Err(wrong(i, "a letter is wanted here"));
            }
            let start = i;
            i += 1;
            let digits = i;
            while i < chars.len()
                && (chars[i].is_ascii_digit() || matches!(chars[i], '.' | '-' | '+'))
            {
                i += 1;
            }
            let text: String = chars[digits..i].iter().collect();
            // Boards differ: some take 1e3 for a thousand, some for 1 and E3. The command itself is a
            // whole number, so M92E5 can be read one way only.
            let exponent = !words.is_empty()
                && !text.is_empty()
                && i + 1 < chars.len()
                && matches!(chars[i], 'e' | 'E')
                && (chars[i + 1].is_ascii_digit() || matches!(chars[i + 1], '-' | '+'));
            if exponent {
                return Err(wrong(digits, "write the number out, or a space before E"));
            }
            let value = if text.is_empty() {
                None
            } else {
                let v = text
                    .parse::<f64>()
                    .ok()
                    .filter(|v| v.is_finite() && v.abs() < 1e9);
                Some(v.ok_or_else(|| wrong(digits, "this is no number"))?)
            };
            let letter = c.to_ascii_uppercase();
            if words.iter().any(|(l, _)| *l == letter) {
                return Err(wrong(start, "the same letter stands twice"));
            }
            words.push((letter, value));
        }
        let Some((letter, number)) = words.first().copied() else {
            return Err(wrong(0, "there is no command"));
        };
        let number = number.filter(|n| (0.0..10_000.0).contains(n) && n.fract().abs() < 1e-9);
        let Some(number) = number.filter(|_| matches!(letter, 'G' | 'M' | 'T')) else {
            return Err(wrong(
                0,
                "a command begins with G, M or T and a whole number",
            ));
        };
        Ok(Self {
            code: format!("{letter}{number:.0}"),
            words: words.split_off(1),
        })
    }

    /// The command, e.g. `M92`.
    #[must_use]
    pub fn code(&self) -> &str {
        &self.code
    }

    /// Value of a letter, if it has one.
    #[must_use]
    pub fn value(&self, letter: char) -> Option<f64> {
        self.words
            .iter()
            .find(|(l, _)| *l == letter)
            .and_then(|(_, v)| *v)
    }

    /// Whether a letter stands there, with or without a value.
    #[must_use]
    pub fn has(&self, letter: char) -> bool {
        self.words.iter().any(|(l, _)| *l == letter)
    }

    /// All words after the command.
    #[must_use]
    pub fn words(&self) -> &[(char, Option<f64>)] {
        &self.words
    }

    /// The command as it is sent: one form for every way of writing it.
    #[must_use]
    pub fn line(&self) -> String {
        let mut out = self.code.clone();
        for (l, v) in &self.words {
            out.push(' ');
            out.push(*l);
            if let Some(v) = v {
                out.push_str(&wattotherm_measure::text::plain(*v, 5));
            }
        }
        out
    }
}
