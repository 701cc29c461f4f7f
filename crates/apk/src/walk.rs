//! Following the chain of chunks in a resource table where the bytes are.
//!
//! Where a chunk begins is told only by the one before it, and a table has hundreds. Followed over a link that is a
//! round trip each; a loop on the device does it in one, and says of each chunk that counts no more than its head.

/// A chain to be followed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Walk {
    /// The chunk to begin with.
    pub start: u64,
    /// Where the chunks end.
    pub end: u64,
    /// The type whose chunks are looked for, 1 to 255. The walk ends at the first chunk behind them.
    pub type_id: u8,
}

/// A chunk that was found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WalkedChunk {
    /// Where it begins.
    pub at: u64,
    /// The first bytes of it, [`Walk::HEAD`] where it is that long.
    pub head: Vec<u8>,
}

impl Walk {
    /// How much of a chunk's head is needed: up to the end of the configuration's variant.
    pub const HEAD: usize = 68;

    /// Follows the chain in a file that is at hand, as the loop on the device does.
    pub fn follow(&self, read: &dyn Fn(u64, usize) -> Option<Vec<u8>>) -> Vec<WalkedChunk> {
        let mut found = Vec::new();
        let (mut at, mut seen) = (self.start, false);
        while at + 8 <= self.end {
            let Some(head) = read(at, Self::HEAD) else { break };
            let word = |n: usize| crate::bytes::u32_at(&head, n * 4);
            let (kind, size, id) = (word(0) & 0xffff, word(1), word(2) & 0xff);
            if size < 8 {
                break;
            }
            if kind == 0x0201 || kind == 0x0202 {
                if id == u32::from(self.type_id) {
                    seen = true;
                    found.push(WalkedChunk { at, head: head.clone() });
                } else if seen {
                    break;
                }
            }
            at += u64::from(size);
        }
        found
    }
}
