//! What a program gives.

/// What a command gives.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Output {
    pub(crate) out: String,
    /// Output that is no text, in place of `out`.
    pub(crate) raw: Option<Vec<u8>>,
    pub(crate) err: String,
    pub(crate) code: u8,
    /// Output and errors in the order in which several commands gave them; for one command empty.
    pub(crate) merged: String,
    /// The command hangs: nothing of this is ever said.
    pub(crate) hangs: bool,
}

impl Output {
    /// Output and errors where they are not kept apart.
    pub(crate) fn together(&self) -> String {
        if self.merged.is_empty() { format!("{}{}", self.out, self.err) } else { self.merged.clone() }
    }

    /// The output as bytes.
    pub(crate) fn bytes(&self) -> &[u8] {
        self.raw.as_deref().unwrap_or(self.out.as_bytes())
    }

    pub(crate) fn raw(bytes: Vec<u8>) -> Self {
        Self { raw: Some(bytes), ..Self::default() }
    }

    pub(crate) fn ok(out: impl Into<String>) -> Self {
        Self { out: out.into(), ..Self::default() }
    }

    pub(crate) fn failed(code: u8, err: impl Into<String>) -> Self {
        Self { err: err.into(), code, ..Self::default() }
    }
}
