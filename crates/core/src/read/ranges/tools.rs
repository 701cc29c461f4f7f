//! With what a device reads ranges of files.

/// A way of reading a range on the device.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum RangeTool {
    /// `dd` that counts bytes: toybox from about Android 10 on.
    Bytes,
    /// `dd` that moves to the place, `head` that reads from there: older toybox.
    Seek,
    /// `dd` in blocks, of which some is read too much: every Android.
    #[default]
    Blocks,
    /// `tail` that moves to a place before the end, `head` that reads from there: where there is no `dd`.
    Tail,
}

impl RangeTool {
    /// Best first.
    pub const ALL: [Self; 4] = [Self::Bytes, Self::Seek, Self::Blocks, Self::Tail];
    /// The length of a block, in bytes.
    pub(super) const BLOCK: u64 = 512;
}

/// What a device has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct RangeTools {
    /// For ranges.
    pub tool: RangeTool,
    /// Whether what is sent can be packed first: `gzip`.
    pub packs: bool,
    /// Whether `head` and `tail` take several files, and print which is which.
    pub several: bool,
}
