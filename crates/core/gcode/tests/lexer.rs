//! Bytes as tokens: each where it stands, and nothing between them lost.
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use wattotherm_gcode::{LexError, Lexer, Token, TokenKind};

fn read(line: &str) -> Vec<Result<Token, LexError>> {
    Lexer::new(line.as_bytes()).collect()
}

#[test]
fn words_remarks_and_check_numbers_are_told_apart_with_their_places() {
    let line = "N12 G1 X-3.5 (to the left) e.2*87 ; and on";
    let expected: [(&str, TokenKind); 7] = [
        ("N12", TokenKind::Word(b'N', Some(12.0))),
        ("G1", TokenKind::Word(b'G', Some(1.0))),
        ("X-3.5", TokenKind::Word(b'X', Some(-3.5))),
        ("(to the left)", TokenKind::Comment),
        ("e.2", TokenKind::Word(b'E', Some(0.2))),
        ("*87", TokenKind::Checksum(Some(87))),
        ("; and on", TokenKind::Comment),
    ];
    let got: Vec<(&str, TokenKind)> = read(line)
        .into_iter()
        .map(|t| t.map(|t| (&line[t.span], t.kind)).unwrap())
        .collect();
    assert_eq!(got, expected);
}

#[test]
fn a_bad_word_is_named_where_it_stands_and_the_rest_is_read() {
    let got = read("G1 X1..2 ä Y3");
    assert_eq!(got[1], Err(LexError::NoNumber(4)));
    assert_eq!(got[2], Err(LexError::NoLetter(9)));
    assert!(matches!(&got[3], Ok(t) if t.kind == TokenKind::Word(b'Y', Some(3.0))));
    // An exponent could be read two ways, so nothing behind it is sure.
    let got = read("G1 X1e3 Y3");
    assert_eq!(got[1..], [Err(LexError::Exponent(4))]);
    assert_eq!(read("G1 (open")[1], Err(LexError::Unclosed(3)));
    // The command itself is whole: behind it E is a word.
    assert_eq!(read("M92E93").len(), 2);
}

proptest! {
    #[test]
    fn any_bytes_are_read_to_their_end_in_order(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
        let mut end = 0;
        for token in Lexer::new(&bytes).flatten() {
            prop_assert!(token.span.start >= end && token.span.end > token.span.start);
            prop_assert!(token.span.end <= bytes.len());
            end = token.span.end;
        }
    }

    #[test]
    fn words_that_were_written_are_read_back(words in prop::collection::vec(("[A-DF-Z]", -99_999_i32..99_999), 1..8), gap in "[ \t]{0,3}") {
        let line: String = words.iter().map(|(l, v)| format!("{l}{}.{:02}{gap}", v / 100, v.abs() % 100)).collect();
        let got: Vec<(String, f64)> = Lexer::new(line.as_bytes()).map(|t| match t.unwrap().kind {
            TokenKind::Word(l, Some(v)) => (char::from(l).to_string(), v),
            other => panic!("{other:?}"),
        }).collect();
        let expected: Vec<(String, f64)> = words.iter().map(|(l, v)| (l.clone(), format!("{}.{:02}", v / 100, v.abs() % 100).parse().unwrap())).collect();
        prop_assert_eq!(got, expected);
    }
}
