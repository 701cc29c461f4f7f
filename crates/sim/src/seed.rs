//! From where everything random comes that has to be the same each time.

/// A number that a name always leads to.
pub(crate) fn mix(text: &str) -> u64 {
    text.bytes().fold(0xcbf2_9ce4_8422_2325, |sum, b| (sum ^ u64::from(b)).wrapping_mul(0x0100_0000_01b3)) >> 8
}
