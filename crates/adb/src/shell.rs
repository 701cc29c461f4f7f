//! The framing of `shell,v2` (also used by `abb`), and the reading of the old shell.

/// What a frame carries.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ShellId {
    /// Input of the command.
    In,
    /// Output.
    Out,
    /// Error output.
    Err,
    /// The exit code, one byte.
    Exit,
    /// The input ends.
    CloseIn,
    /// Size of the terminal window.
    Window,
    /// Anything a later version may add.
    Other(u8),
}

impl ShellId {
    fn from_byte(byte: u8) -> Self {
        match byte {
            0 => Self::In,
            1 => Self::Out,
            2 => Self::Err,
            3 => Self::Exit,
            4 => Self::CloseIn,
            5 => Self::Window,
            other => Self::Other(other),
        }
    }

    fn byte(self) -> u8 {
        match self {
            Self::In => 0,
            Self::Out => 1,
            Self::Err => 2,
            Self::Exit => 3,
            Self::CloseIn => 4,
            Self::Window => 5,
            Self::Other(byte) => byte,
        }
    }
}

/// One frame: id, length (u32, little-endian), data.
pub fn encode_shell(id: ShellId, data: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(5 + data.len());
    out.push(id.byte());
    out.extend_from_slice(&u32::try_from(data.len()).unwrap_or(u32::MAX).to_le_bytes());
    out.extend_from_slice(data);
    out
}

/// Reads frames from pieces cut anywhere. A frame's data are passed on as they come, so an
/// announced length never has to be held.
#[derive(Debug, Default)]
pub struct ShellDecoder {
    head: Vec<u8>,
    left: u32,
}

impl ShellDecoder {
    const HEAD: usize = 5;

    /// Reads a piece, passing on what each frame brings. Frames without data are passed on with
    /// none.
    pub fn feed(&mut self, mut piece: &[u8], each: &mut dyn FnMut(ShellId, &[u8])) {
        while !piece.is_empty() {
            if self.head.len() < Self::HEAD {
                let take = (Self::HEAD - self.head.len()).min(piece.len());
                self.head.extend_from_slice(&piece[..take]);
                piece = &piece[take..];
                if self.head.len() < Self::HEAD {
                    return;
                }
                self.left = u32::from_le_bytes([self.head[1], self.head[2], self.head[3], self.head[4]]);
                if self.left == 0 {
                    each(ShellId::from_byte(self.head[0]), &[]);
                    self.head.clear();
                }
                continue;
            }
            let take = (self.left as usize).min(piece.len());
            each(ShellId::from_byte(self.head[0]), &piece[..take]);
            self.left -= take as u32;
            piece = &piece[take..];
            if self.left == 0 {
                self.head.clear();
            }
        }
    }

    /// Whether the last frame is whole.
    pub fn at_boundary(&self) -> bool {
        self.head.is_empty()
    }
}

/// Reads the output of the old shell: a terminal that turns line feeds into CR LF (some old
/// devices into CR CR LF), without an exit code. The command is sent with an echo of its exit code
/// behind a mark, which is taken off here; that it is there shows that the output is whole.
#[derive(Debug, Default)]
pub(crate) struct OldShellReader {
    /// What may yet be a CR before a line feed or the beginning of the mark.
    held: Vec<u8>,
}

impl OldShellReader {
    const MARK: &'static [u8] = b"\x01wibbet:";
    /// The mark, three digits, CR CR LF.
    const HOLD: usize = Self::MARK.len() + 6;
    const MOST_CRS: usize = 16;

    /// `command` with the echo behind it. The mark starts with a control character that no answer
    /// of a device holds; `printf` would be neater, but old devices have none.
    pub(crate) fn dress(command: &str) -> String {
        format!("{command}; echo \"\x01wibbet:$?\"")
    }

    pub(crate) fn feed(&mut self, piece: &[u8], each: &mut dyn FnMut(&[u8])) {
        self.held.extend_from_slice(piece);
        // Nothing but what may be the mark is kept waiting: a command may say one line and be silent for long.
        let last = self.held.len().saturating_sub(Self::HOLD);
        let most = match self.held[last..].iter().position(|b| *b == Self::MARK[0]) {
            Some(at) => last + at,
            None => self.held.len(),
        };
        let mut cut = most;
        // A run of CRs stays with what follows it, to see whether that is a line feed; no terminal makes a long one.
        let least = most.saturating_sub(Self::MOST_CRS);
        while cut > least && self.held[cut - 1] == b'\r' {
            cut -= 1;
        }
        let ready: Vec<u8> = self.held.drain(..cut).collect();
        if !ready.is_empty() {
            pass_without_cr(&ready, each);
        }
    }

    /// Ends the output; the exit code, if its mark is there.
    pub(crate) fn finish(self, each: &mut dyn FnMut(&[u8])) -> Option<u8> {
        let mark = self.held.windows(Self::MARK.len()).rposition(|w| w == Self::MARK);
        let (rest, code) = match mark {
            Some(at) => {
                let digits = String::from_utf8_lossy(&self.held[at + Self::MARK.len()..]);
                (&self.held[..at], digits.trim().parse::<u8>().ok())
            }
            None => (&self.held[..], None),
        };
        pass_without_cr(rest, each);
        code
    }
}

fn pass_without_cr(bytes: &[u8], each: &mut dyn FnMut(&[u8])) {
    let mut out = Vec::with_capacity(bytes.len());
    let mut crs = 0usize;
    for &b in bytes {
        match b {
            b'\r' => crs += 1,
            b'\n' => {
                crs = 0;
                out.push(b);
            }
            other => {
                out.resize(out.len() + crs, b'\r');
                crs = 0;
                out.push(other);
            }
        }
    }
    out.resize(out.len() + crs, b'\r');
    if !out.is_empty() {
        each(&out);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn decode(pieces: &[&[u8]]) -> (Vec<(u8, Vec<u8>)>, bool) {
        let mut decoder = ShellDecoder::default();
        let mut seen: Vec<(u8, Vec<u8>)> = Vec::new();
        for piece in pieces {
            decoder.feed(piece, &mut |id, data| seen.push((id.byte(), data.to_vec())));
        }
        (seen, decoder.at_boundary())
    }

    #[test]
    fn frames() {
        let bytes = [1, 3, 0, 0, 0, b'a', b'b', b'c', 2, 0, 0, 0, 0, 3, 1, 0, 0, 0, 7];
        let expected = vec![(1, b"abc".to_vec()), (2, vec![]), (3, vec![7])];
        assert_eq!(decode(&[&bytes]), (expected, true));
        assert!(!decode(&[&bytes[..6]]).1);
        let huge = [1, 0xff, 0xff, 0xff, 0xff, b'x'];
        assert_eq!(decode(&[&huge]), (vec![(1, vec![b'x'])], false), "a length is not allocated");
    }

    fn old(pieces: &[&[u8]]) -> (String, Option<u8>) {
        let mut reader = OldShellReader::default();
        let mut out = Vec::new();
        for piece in pieces {
            reader.feed(piece, &mut |b| out.extend_from_slice(b));
        }
        let code = reader.finish(&mut |b| out.extend_from_slice(b));
        (String::from_utf8(out).unwrap(), code)
    }

    #[test]
    fn the_old_shell() {
        assert_eq!(old(&[b"Success\r\n\x01wibbet:0\r\n"]), ("Success\n".into(), Some(0)));
        assert_eq!(old(&[b"x\r\r\n\x01wibbet:127\r\r\n"]), ("x\n".into(), Some(127)));
        assert_eq!(old(&[b"no end"]), ("no end".into(), None));
        assert_eq!(old(&[b"\x01wibbet:1\n"]), (String::new(), Some(1)));
        assert_eq!(old(&[b"a\rb\n\x01wibbet:0\n"]), ("a\rb\n".into(), Some(0)));
    }

    /// Who follows what a command says sees each line when it is said.
    #[test]
    fn a_line_is_passed_on_at_once() {
        let mut reader = OldShellReader::default();
        let mut said = Vec::new();
        reader.feed(b"[0,com.a/.Main]\r\n", &mut |b| said.extend_from_slice(b));
        assert_eq!(said, b"[0,com.a/.Main]\n");
        reader.feed(b"b\x01wibb", &mut |b| said.extend_from_slice(b));
        assert_eq!(said, b"[0,com.a/.Main]\nb");
        reader.feed(b"et:7\r\n", &mut |b| said.extend_from_slice(b));
        assert_eq!((reader.finish(&mut |_| {}), said.len()), (Some(7), 17));
    }

    /// A device that says nothing but carriage returns is neither held nor read again and again.
    #[test]
    fn a_flood_of_carriage_returns_is_passed_on() {
        let mut reader = OldShellReader::default();
        let mut passed = 0;
        for _ in 0..1000 {
            reader.feed(&[b'\r'; 4096], &mut |bytes| passed += bytes.len());
            assert!(reader.held.len() < 100, "{}", reader.held.len());
        }
        reader.finish(&mut |bytes| passed += bytes.len());
        assert_eq!(passed, 4096 * 1000);
    }

    proptest! {
        #[test]
        fn cuts_do_not_matter(text in "[ab\r\n]{0,60}", cut in 0usize..80) {
            let bytes = format!("{text}\u{1}wibbet:5\r\n").into_bytes();
            let cut = cut.min(bytes.len());
            prop_assert_eq!(old(&[&bytes]), old(&[&bytes[..cut], &bytes[cut..]]));
            let frame = encode_shell(ShellId::Out, &bytes);
            let (seen, whole) = decode(&[&frame[..cut], &frame[cut..]]);
            let joined: Vec<u8> = seen.into_iter().flat_map(|(_, data)| data).collect();
            prop_assert!(whole && joined == bytes);
        }

        #[test]
        fn any_bytes_are_read(pieces in proptest::collection::vec(any::<Vec<u8>>(), 0..6)) {
            let pieces: Vec<&[u8]> = pieces.iter().map(Vec::as_slice).collect();
            decode(&pieces);
        }
    }
}
