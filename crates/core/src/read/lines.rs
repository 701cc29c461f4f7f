//! Text that comes in pieces, taken apart into lines.

/// Longer lines are cut: none of those that are read comes near it.
const LONGEST: usize = 16 * 1024;

/// Holds the line that is not whole yet.
#[derive(Debug, Default)]
pub(super) struct Lines {
    held: Vec<u8>,
}

impl Lines {
    /// Takes a piece and gives each line that has come to its end, without the end.
    pub(super) fn feed(&mut self, piece: &[u8], longest: usize, line: &mut dyn FnMut(&str)) {
        for part in piece.split_inclusive(|b| *b == b'\n') {
            let (text, whole) = match part.strip_suffix(b"\n") {
                Some(text) => (text, true),
                None => (part, false),
            };
            let room = longest.max(LONGEST).saturating_sub(self.held.len());
            self.held.extend_from_slice(&text[..text.len().min(room)]);
            if whole {
                self.end(line);
            }
        }
    }

    /// Whether a line has begun that has not come to its end.
    pub(super) fn is_within_a_line(&self) -> bool {
        !self.held.is_empty()
    }

    /// Gives what is left.
    pub(super) fn finish(&mut self, line: &mut dyn FnMut(&str)) {
        if !self.held.is_empty() {
            self.end(line);
        }
    }

    fn end(&mut self, line: &mut dyn FnMut(&str)) {
        let text = String::from_utf8_lossy(&self.held);
        line(text.trim_end_matches('\r'));
        self.held.clear();
    }
}
