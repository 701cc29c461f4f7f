//! Finding bytes among bytes.

pub(super) fn find(bytes: &[u8], mark: &[u8]) -> Option<usize> {
    bytes.windows(mark.len()).position(|w| w == mark)
}
