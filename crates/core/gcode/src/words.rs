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

/// The name of a command, e.g. `M92`.
fn code_of(letter: char, number: Option<f64>) -> Option<String> {
    let number = number.filter(|n| (0.0..10_000.0).contains(n) && n.fract().abs() < 1e-9)?;
    matches!(letter, 'G' | 'M' | 'T').then(|| format!("{letter}{number:.0}"))
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
        let Some(code) = code_of(letter, number) else {
            return Err(wrong(
                0,
                "a command begins with G, M or T and a whole number".into(),
            ));
        };
        Ok(Self {
            code,
            words: words.split_off(1),
        })
    }

    /// Reads a line of a file: numbered or not, with remarks of either kind, of any length. None where
    /// there is no command in it, or one that is no G, M or T with a whole number.
    /// # Errors
    /// [`WordError`], its column counted in bytes, where a word of such a command can't be read.
    pub fn of_file(line: &[u8]) -> Result<Option<Self>, WordError> {
        let mut code = None;
        let mut words: Vec<(char, Option<f64>)> = Vec::new();
        for token in Lexer::new(line) {
            let token = match token {
                Ok(token) => token,
                Err(_) if code.is_none() => return Ok(None),
                Err(e) => {
                    return Err(WordError {
                        column: e.at() + 1,
                        says: e.to_string(),
                    });
                }
            };
            let TokenKind::Word(letter, value) = token.kind else {
                continue;
            };
            let letter = char::from(letter);
            match code {
                None if letter == 'N' => {}
                None => match code_of(letter, value) {
                    None => return Ok(None),
                    some => code = some,
                },
                Some(_) if words.iter().any(|(l, _)| *l == letter) => {
                    return Err(WordError {
                        column: token.span.start + 1,
                        says: "the same letter stands twice".into(),
                    });
                }
                Some(_) => words.push((letter, value)),
            }
        }
        Ok(code.map(|code| Self { code, words }))
    }

    /// The same with the numbers of some letters multiplied, e.g. inches made millimetres.
    #[must_use]
    pub fn scaled(mut self, letters: &str, by: f64) -> Self {
        for (letter, value) in &mut self.words {
            if letters.contains(*letter) {
                *value = value.map(|v| v * by);
            }
        }
        self
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
