//! A command as words: a letter and a number each.

use super::lex::{LexError, Lexer, TokenKind};

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
        // Columns are counted in characters, as a person counts them.
        let wrong = |at: usize, says: String| WordError {
            column: line.get(..at).map_or(at, |t| t.chars().count()) + 1,
            says,
        };
        let code = line.split(';').next().unwrap_or_default().trim_end();
        if code.chars().count() > MOST_CHARS {
            return Err(WordError {
                column: MOST_CHARS + 1,
                says: "the line is too long".into(),
            });
        }
        let mut words: Vec<(char, Option<f64>)> = Vec::new();
        for token in Lexer::new(code.as_bytes()) {
            let token = token.map_err(|e| wrong(e.at(), e.to_string()))?;
            let TokenKind::Word(letter, value) = token.kind else {
                return Err(wrong(token.span.start, LexError::NoLetter(0).to_string()));
            };
            let letter = char::from(letter);
            if words.iter().any(|(l, _)| *l == letter) {
                return Err(wrong(
                    token.span.start,
                    "the same letter stands twice".into(),
                ));
            }
            words.push((letter, value));
        }
        let Some((letter, number)) = words.first().copied() else {
            return Err(wrong(0, "there is no command".into()));
        };
        let number = number.filter(|n| (0.0..10_000.0).contains(n) && n.fract().abs() < 1e-9);
        let Some(number) = number.filter(|_| matches!(letter, 'G' | 'M' | 'T')) else {
            return Err(wrong(
                0,
                "a command begins with G, M or T and a whole number".into(),
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

    /// Value of a letter [unit of that letter], if it has one.
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
