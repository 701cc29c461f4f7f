//! What lies on the partition with the system's packages: folders, files and links with owner, mode and context.

use std::collections::BTreeMap;

use super::files::REGULAR;
use super::installed::InstalledPackage;
use crate::scenario::{Scenario, SimKind};

/// The context of whatever lies on the partition.
const OF_THE_SYSTEM: &str = "u:object_r:system_file:s0";

/// Something that lies there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Node {
    pub(super) kind: NodeKind,
    pub(super) mode: u32,
    pub(super) owner: u32,
    pub(super) group: u32,
    pub(super) context: String,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum NodeKind {
    Folder,
    File,
    Link(String),
}

impl Node {
    pub(super) fn new(kind: NodeKind, mode: u32) -> Self {
        Self { kind, mode, owner: 0, group: 0, context: OF_THE_SYSTEM.to_owned() }
    }

    /// `st_mode`.
    pub(super) fn whole_mode(&self) -> u32 {
        self.mode
            | match self.kind {
                NodeKind::Folder => 0o040_000,
                NodeKind::File => REGULAR,
                NodeKind::Link(_) => 0o120_000,
            }
    }
}

/// The folder of its own that a package of the system has there.
pub(super) fn folder_of(package: &InstalledPackage) -> Option<String> {
    let path = package.data.path.as_str();
    let in_a_folder = path.contains("/app/") || path.contains("/priv-app/") || path.contains("/overlay/");
    let of_the_system = package.data.kind == SimKind::System && package.data.update.is_none();
    (of_the_system && in_a_folder && !path.ends_with(".apk") && !path.starts_with("/data/")).then(|| path.to_owned())
}

/// What lies there first. Every third package has native code, of which a part lies with the system's own.
pub(crate) fn first_nodes(scenario: &Scenario) -> BTreeMap<String, Node> {
    let mut nodes = BTreeMap::new();
    if !scenario.su {
        return nodes;
    }
    for (n, package) in InstalledPackage::all_of(scenario).values().enumerate() {
        let Some(folder) = folder_of(package) else { continue };
        nodes.insert(package.apk(), Node::new(NodeKind::File, 0o644));
        if n % 3 == 0 {
            nodes.insert(format!("{folder}/lib"), Node::new(NodeKind::Folder, 0o755));
            nodes.insert(format!("{folder}/lib/arm64"), Node::new(NodeKind::Folder, 0o755));
            let link = NodeKind::Link("/system/lib64/libshared.so".to_owned());
            nodes.insert(format!("{folder}/lib/arm64/libshared.so"), Node::new(link, 0o777));
        }
        nodes.insert(folder, Node::new(NodeKind::Folder, 0o755));
    }
    nodes
}
