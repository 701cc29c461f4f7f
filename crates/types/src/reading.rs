//! Texts that people write by hand: no longer than anybody writes.

use std::fs::File;
use std::io::Read;
use std::path::Path;

/// The text of a file that somebody writes by hand, which has no more than so many bytes.
///
/// # Errors
/// Those of the system; `InvalidData` for what is no text, and `FileTooLarge` for what is longer.
pub fn read_text(path: &Path, most: u64) -> std::io::Result<String> {
    text_of(File::open(path)?, most)
}

/// The text that something gives, which has no more than so many bytes.
///
/// # Errors
/// As [`read_text`].
pub fn text_of(from: impl Read, most: u64) -> std::io::Result<String> {
    let mut text = String::new();
    from.take(most.saturating_add(1)).read_to_string(&mut text)?;
    match text.len() as u64 > most {
        true => Err(std::io::Error::new(std::io::ErrorKind::FileTooLarge, format!("it is longer than {most} bytes"))),
        false => Ok(text),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_longer_or_no_text_is_refused() {
        assert_eq!(text_of("abc".as_bytes(), 3).unwrap(), "abc");
        assert_eq!(text_of("abcd".as_bytes(), 3).unwrap_err().kind(), std::io::ErrorKind::FileTooLarge);
        assert_eq!(text_of(&[0xff, 0xfe][..], 3).unwrap_err().kind(), std::io::ErrorKind::InvalidData);
        // What never ends is read no further.
        assert!(text_of(std::io::repeat(b'x'), 1000).is_err());
        assert_eq!(read_text(Path::new("/no/such/file"), 3).unwrap_err().kind(), std::io::ErrorKind::NotFound);
    }
}
