//! Install sessions.

use std::collections::BTreeMap;

/// A session that has not been committed.
#[derive(Debug, Clone, Default)]
pub(crate) struct InstallSession {
    pub(super) user: Option<u32>,
    pub(super) downgrade: bool,
    pub(super) files: BTreeMap<String, Vec<u8>>,
}
