//! A line's numbers written anew, all else of it as it is.

use wattotherm_gcode::{Lexer, TokenKind};
use wattotherm_measure::text::plain;

/// A word to be written: its letter, its number, and places behind the point at most.
pub(super) type Word = (u8, f64, usize);

/// The line with some numbers changed; words that it has not are put behind its last one. Why not, where it can't be.
pub(super) fn rewritten(line: &[u8], words: &[Word]) -> Result<Vec<u8>, &'static str> {
    let mut out = line.to_vec();
    let mut behind = 0;
    let mut found = Vec::new();
    for token in Lexer::new(line) {
        let token = token.map_err(|_| "it can’t be read word by word")?;
        match token.kind {
            TokenKind::Word(letter, _) => {
                if letter == b'N' && behind == 0 {
                    return Err("it has a line number; take the numbers out first");
                }
                behind = token.span.end;
                found.push((letter, token.span));
            }
            TokenKind::Checksum(_) => return Err("it has a check number; take it out first"),
            TokenKind::Comment => {}
        }
    }
    // A letter stays as small as it is.
    let text = |letter: u8, word: &Word| format!("{}{}", char::from(letter), plain(word.1, word.2));
    // From behind, so that places before stay where they are.
    let missing: String = words
        .iter()
        .filter(|w| !found.iter().any(|(l, _)| *l == w.0))
        .map(|w| format!(" {}", text(w.0, w)))
        .collect();
    out.splice(behind..behind, missing.into_bytes());
    for (letter, span) in found.iter().rev() {
        if let Some(word) = words.iter().find(|w| w.0 == *letter) {
            out.splice(span.clone(), text(line[span.start], word).into_bytes());
        }
    }
    Ok(out)
}

/// Whether a line has a word.
pub(super) fn has(line: &[u8], letter: u8) -> bool {
    Lexer::new(line)
        .flatten()
        .any(|t| matches!(t.kind, TokenKind::Word(l, _) if l == letter))
}
