//! The bytes of a line as tokens, each with the place where it stands.

use std::ops::Range;

use super::moves::{begins_exponent, plain_number};

/// One token of a line.
#[derive(Clone, Debug, PartialEq)]
pub struct Token {
    /// Bytes of the line that it takes, its letter or sign included.
    pub span: Range<usize>,
    /// What it is.
    pub kind: TokenKind,
}

/// What a token is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum TokenKind {
    /// A letter (capital) and its number, if it has one.
    Word(u8, Option<f64>),
    /// A remark: from `;` to the end, or in parentheses.
    Comment,
    /// `*` and the check number behind it.
    Checksum(Option<u8>),
}

/// What is no token, and where.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum LexError {
    /// Something that begins no word.
    #[error("a letter is wanted here")]
    NoLetter(usize),
    /// A letter with something behind it that is no number below 10⁹.
    #[error("this is no number")]
    NoNumber(usize),
    /// `1E3`: a thousand for one board, 1 and E3 for another.
    #[error("write the number out, or a space before E")]
    Exponent(usize),
    /// A parenthesis that doesn't close.
    #[error("the remark is not closed")]
    Unclosed(usize),
}

impl LexError {
    /// The byte where it stands.
    #[must_use]
    pub const fn at(self) -> usize {
        match self {
            Self::NoLetter(at) | Self::NoNumber(at) | Self::Exponent(at) | Self::Unclosed(at) => at,
        }
    }
}

/// Reads the tokens of one line, from left to right; nothing is copied.
///
/// Source: words after NIST IR 6556, 3.3 (RS274/NGC) and ISO 6983-1; `*` with a check number is common
/// practice of printer boards. After an error reading goes on behind it, so that a file with one bad word
/// shows all the others. Never panics, whatever the bytes.
#[derive(Clone, Debug)]
pub struct Lexer<'a> {
    bytes: &'a [u8],
    at: usize,
    /// Whether a word was read: the first one's number is whole, so an E behind it begins another word.
    has_code: bool,
}

impl<'a> Lexer<'a> {
    /// Reads `line`, without its end.
    #[must_use]
    pub const fn new(line: &'a [u8]) -> Self {
        Self {
            bytes: line,
            at: 0,
            has_code: false,
        }
    }

    fn peek(&self) -> Option<u8> {
        self.bytes.get(self.at).copied()
    }

    fn skip(&mut self, wanted: impl Fn(u8) -> bool) -> Range<usize> {
        let start = self.at;
        while self.peek().is_some_and(&wanted) {
            self.at += 1;
        }
        start..self.at
    }

    fn word(&mut self, letter: u8) -> Result<TokenKind, LexError> {
        self.at += 1;
        let digits = self.skip(|c| c.is_ascii_digit() || matches!(c, b'.' | b'-' | b'+'));
        let is_code = !std::mem::replace(&mut self.has_code, true);
        let behind = |n: usize| self.bytes.get(self.at + n).copied();
        let exponent = !is_code
            && !digits.is_empty()
            && matches!(self.peek(), Some(b'e' | b'E'))
            && begins_exponent(behind(1), behind(2));
        if exponent {
            self.at = self.bytes.len();
            return Err(LexError::Exponent(digits.start));
        }
        let letter = letter.to_ascii_uppercase();
        if digits.is_empty() {
            return Ok(TokenKind::Word(letter, None));
        }
        plain_number(&self.bytes[..digits.end], digits.start)
            .filter(|(_, end)| *end == digits.end)
            .map(|(v, _)| v)
            .or_else(|| {
                let text = std::str::from_utf8(&self.bytes[digits.clone()]).ok()?;
                text.parse::<f64>().ok()
            })
            .filter(|v| v.is_finite() && v.abs() < 1e9)
            .map(|v| TokenKind::Word(letter, Some(v)))
            .ok_or(LexError::NoNumber(digits.start))
    }

    fn kind(&mut self, first: u8) -> Result<TokenKind, LexError> {
        match first {
            b';' => {
                self.at = self.bytes.len();
                Ok(TokenKind::Comment)
            }
            b'(' => {
                let start = self.at;
                self.skip(|c| c != b')');
                if self.peek().is_none() {
                    return Err(LexError::Unclosed(start));
                }
                self.at += 1;
                Ok(TokenKind::Comment)
            }
            b'*' => {
                self.at += 1;
                let digits = self.skip(|c| c.is_ascii_digit());
                let text = std::str::from_utf8(&self.bytes[digits]).unwrap_or_default();
                Ok(TokenKind::Checksum(text.parse().ok()))
            }
            c if c.is_ascii_alphabetic() => self.word(c),
            _ => {
                let at = self.at;
                // One character, not one byte of it.
                self.at += 1;
                self.skip(|c| c & 0b1100_0000 == 0b1000_0000);
                Err(LexError::NoLetter(at))
            }
        }
    }
}

impl Iterator for Lexer<'_> {
    type Item = Result<Token, LexError>;

    fn next(&mut self) -> Option<Self::Item> {
        self.skip(|c| matches!(c, b' ' | b'\t' | b'\r'));
        let first = self.peek()?;
        let start = self.at;
        Some(self.kind(first).map(|kind| Token {
            span: start..self.at,
            kind,
        }))
    }
}
