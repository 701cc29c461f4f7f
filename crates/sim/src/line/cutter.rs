//! Where a connection is cut.

use super::fault::{CutAt, Direction};

/// Counts what passes and says when to cut.
#[derive(Debug, Default)]
pub(crate) struct Cutter {
    at: Option<CutAt>,
    packets: [u64; 2],
    bytes: [u64; 2],
}

/// What becomes of a packet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Passage {
    /// It passes.
    Whole,
    /// So many bytes of it pass, then the connection is cut.
    Cut(usize),
}

impl Cutter {
    pub(crate) fn set(&mut self, at: CutAt) {
        *self = Self { at: Some(at), ..Self::default() };
    }

    /// Packets so far since the fault was set, in a direction.
    pub(crate) fn packets(&self, way: Direction) -> u64 {
        self.packets[way as usize]
    }

    /// A packet of `size` bytes wants to pass.
    pub(crate) fn pass(&mut self, way: Direction, size: usize) -> Passage {
        let (packet, byte) = (self.packets[way as usize], self.bytes[way as usize]);
        self.packets[way as usize] += 1;
        self.bytes[way as usize] += size as u64;
        let cut = match self.at {
            Some(CutAt::Packet(w, n)) if w == way && n == packet => Some(0),
            Some(CutAt::Bytes(w, n)) if w == way && n < byte + size as u64 => Some(n.saturating_sub(byte) as usize),
            _ => None,
        };
        match cut {
            Some(bytes) => {
                self.at = None;
                Passage::Cut(bytes)
            }
            None => Passage::Whole,
        }
    }
}
