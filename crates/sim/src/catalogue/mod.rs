//! What made-up apps are called and how they are used.

pub(crate) mod consequences;
pub(crate) mod framework;
pub(crate) mod identity;
pub(crate) mod labels;
pub(crate) mod manifests;
pub(crate) mod usage;
