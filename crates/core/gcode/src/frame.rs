//! Numbered lines with a checksum.

/// XOR of all bytes: what stands after the `*`. Common practice of the line protocol, no published
/// source. Finds every change of a single byte.
#[must_use]
pub fn checksum(bytes: &[u8]) -> u8 {
    bytes.iter().fold(0, |sum, b| sum ^ b)
}

/// `N12 M105*41` with a line end.
#[must_use]
pub fn framed(number: u64, command: &str) -> String {
    let body = format!("N{number} {command}");
    format!("{body}*{}\n", checksum(body.as_bytes()))
}

/// Why a line is not taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum FrameError {
    /// A number without a checksum, or the other way round.
    #[error("line number and checksum belong together")]
    Half,
    /// The checksum doesn't fit.
    #[error("checksum mismatch")]
    Checksum,
}

/// Takes a line apart: its number, if it has one, and the command.
/// # Errors
/// [`FrameError`] for a checksum that doesn't fit or stands alone.
pub fn unframed(line: &str) -> Result<(Option<u64>, &str), FrameError> {
    let line = line.trim();
    let Some((body, sum)) = line.rsplit_once('*') else {
        let numbered = line
            .strip_prefix('N')
            .is_some_and(|r| r.starts_with(|c: char| c.is_ascii_digit()));
        return if numbered {
            Err(FrameError::Half)
        } else {
            Ok((None, line))
        };
    };
    if sum.trim().parse::<u8>().ok() != Some(checksum(body.as_bytes())) {
        return Err(FrameError::Checksum);
    }
    let rest = body.strip_prefix('N').ok_or(FrameError::Half)?;
    let end = rest
        .find(|c: char| !c.is_ascii_digit())
        .unwrap_or(rest.len());
    let number = rest[..end].parse().map_err(|_| FrameError::Half)?;
    Ok((Some(number), rest[end..].trim()))
}
