//! What both sides of a connection agreed on.

use crate::banner::Banner;

/// What both sides agreed on.
#[derive(Debug, Clone)]
pub(crate) struct Agreed {
    pub(crate) banner: Banner,
    pub(crate) max_data: u32,
    pub(crate) checksum: bool,
}
