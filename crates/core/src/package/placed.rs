//! What lies in a package's own folder on a partition of the system, with owner, mode and context: what it takes to have it there again
//! just as it was.

use std::fmt;
use std::str::FromStr;

use wibbet_types::{BadId, DevicePath};

/// What something in the folder is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PlacedKind {
    /// A folder: the package's own, or one in it.
    Folder,
    /// A file; in a copy, by its name there.
    File(String),
    /// A link to somewhere else.
    Link(DevicePath),
}

/// A file, folder or link of a package on a partition of the system.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Placed {
    /// Where.
    pub path: DevicePath,
    /// What it is.
    pub kind: PlacedKind,
    /// The bits of its mode that say who may do what: 0o644 and the like.
    pub mode: u32,
    /// The number of its owner.
    pub owner: u32,
    /// The number of its group.
    pub group: u32,
    /// Its SELinux context; `None` where the device does not tell.
    pub context: Option<String>,
}

impl Placed {
    /// Whether a text can be a context: letters, digits and `:_,.-`, no more than 200 of them.
    pub fn is_context(text: &str) -> bool {
        let plain = |c: char| c.is_ascii_alphanumeric() || ":_,.-".contains(c);
        (3..=200).contains(&text.len()) && text.contains(':') && text.chars().all(plain)
    }

    /// Whether it is so as another one says, wherever the bytes of a file are.
    pub fn is_like(&self, other: &Self) -> bool {
        let same_kind = match (&self.kind, &other.kind) {
            (PlacedKind::Folder, PlacedKind::Folder) | (PlacedKind::File(_), PlacedKind::File(_)) => true,
            (PlacedKind::Link(one), PlacedKind::Link(other)) => one == other,
            _ => false,
        };
        // What one of them does not tell is not held against it.
        let same_context = self.context.is_none() || other.context.is_none() || self.context == other.context;
        let same_rights = (self.mode, self.owner, self.group) == (other.mode, other.owner, other.group);
        // Those of a link are those of where it leads.
        let same_rights = same_rights || matches!(self.kind, PlacedKind::Link(_));
        self.path == other.path && same_kind && same_rights && same_context
    }
}

/// Whether a name can be that of a file in a copy's folder: letters, digits and `._-+`, no more than 200 of them, and it does not begin
/// with a dot.
pub(super) fn is_file_name(name: &str) -> bool {
    let plain = |c: char| c.is_ascii_alphanumeric() || "._-+".contains(c);
    (1..=200).contains(&name.len()) && !name.starts_with('.') && name.chars().all(plain)
}

/// The folder of its own that a package has on a partition of the system: `/system/app/Notes` of `/system/app/Notes/Notes.apk`. `None`
/// where it has none: then other packages lie beside it, or it is somewhere else.
pub fn system_folder(apk: &DevicePath) -> Option<DevicePath> {
    /// The folders of a partition in which packages have folders.
    const SHELVES: [&str; 3] = ["app", "priv-app", "overlay"];
    let parts: Vec<&str> = apk.as_str().split('/').skip(1).collect();
    let is_plain = |part: &str| !matches!(part, "" | "." | "..");
    if !parts.iter().all(|part| is_plain(part)) || matches!(parts.first(), Some(&("data" | "apex" | "mnt" | "storage")))
    {
        return None;
    }
    let shelf = parts.iter().position(|part| SHELVES.contains(part)).filter(|at| *at >= 1)?;
    (parts.len() >= shelf + 3).then(|| format!("/{}", parts[..shelf + 2].join("/")).parse().ok()).flatten()
}

/// Whether these are a package's folder on a partition of the system, first, and what lies in it: nothing else is ever taken away or
/// placed, whatever a record says.
pub fn is_one_folder(placed: &[Placed]) -> bool {
    let Some((folder, rest)) = placed.split_first() else { return false };
    let text = folder.path.as_str();
    let of_the_system = format!("{text}/any.apk").parse().ok().and_then(|apk| system_folder(&apk));
    let lies_in_it = |other: &Placed| {
        let below = other.path.as_str().strip_prefix(text).and_then(|rest| rest.strip_prefix('/'));
        below.is_some_and(|rest| rest.split('/').all(|part| !matches!(part, "" | "." | "..")))
    };
    folder.kind == PlacedKind::Folder && of_the_system.as_ref() == Some(&folder.path) && rest.iter().all(lies_in_it)
}

/// The record's form: `MODE OWNER GROUP CONTEXT KIND PATH`, the mode in octal, `-` for a context that is not told, and as kind `folder`,
/// `file:NAME` or `link:` with where it leads, whose blanks are not allowed.
impl fmt::Display for Placed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let context = self.context.as_deref().unwrap_or("-");
        write!(f, "{:o} {} {} {context} ", self.mode, self.owner, self.group)?;
        match &self.kind {
            PlacedKind::Folder => f.write_str("folder")?,
            PlacedKind::File(name) => write!(f, "file:{name}")?,
            PlacedKind::Link(to) => write!(f, "link:{}", to.as_str())?,
        }
        write!(f, " {}", self.path.as_str())
    }
}

impl FromStr for Placed {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        let bad = || BadId {
            kind: "place of a file",
            given: s.chars().take(80).collect(),
            rule: "it has a mode, an owner, a group, a context, a kind and a path",
        };
        let mut parts = s.splitn(6, ' ');
        let mut next = || parts.next().ok_or_else(bad);
        let mode = u32::from_str_radix(next()?, 8).map_err(|_| bad())?;
        let owner = next()?.parse().map_err(|_| bad())?;
        let group = next()?.parse().map_err(|_| bad())?;
        let context = match next()? {
            "-" => None,
            text if Self::is_context(text) => Some(text.to_owned()),
            _ => return Err(bad()),
        };
        let kind = match next()?.split_once(':') {
            Some(("file", name)) if is_file_name(name) => PlacedKind::File(name.to_owned()),
            Some(("link", to)) => PlacedKind::Link(to.parse().map_err(|_| bad())?),
            Some(_) => return Err(bad()),
            None => PlacedKind::Folder,
        };
        let path = next()?.parse().map_err(|_| bad())?;
        match mode {
            0..=0o7777 => Ok(Self { path, kind, mode, owner, group, context }),
            _ => Err(bad()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_package_has_a_folder_of_its_own_or_none() {
        for (apk, folder) in [
            ("/system/app/Notes/Notes.apk", Some("/system/app/Notes")),
            ("/product/priv-app/Notes/Notes.apk", Some("/product/priv-app/Notes")),
            ("/system/system_ext/priv-app/Notes/base.apk", Some("/system/system_ext/priv-app/Notes")),
            ("/vendor/overlay/Look/Look.apk", Some("/vendor/overlay/Look")),
            ("/system/app/Notes.apk", None),
            ("/vendor/overlay/Look.apk", None),
            ("/system/framework/framework-res.apk", None),
            ("/data/app/x/base.apk", None),
            ("/apex/com.android.wifi/app/X/X.apk", None),
            ("/app/X/X.apk", None),
            ("/system/app/../framework/X.apk", None),
            ("/system//app/X/X.apk", None),
        ] {
            let found = system_folder(&apk.parse().unwrap());
            assert_eq!(found.as_ref().map(DevicePath::as_str), folder, "{apk}");
        }
    }

    #[test]
    fn only_what_lies_in_the_folder_belongs_to_it() {
        let placed = |lines: &[&str]| -> Vec<Placed> {
            lines.iter().map(|line| format!("755 0 0 - {line}").parse().unwrap()).collect()
        };
        let own = "folder /system/app/Notes";
        assert!(is_one_folder(&placed(&[
            own,
            "file:base.apk /system/app/Notes/Notes.apk",
            "folder /system/app/Notes/lib"
        ])));
        for bad in [
            &[][..],
            &["folder /"],
            &["folder /system"],
            &["folder /system/app"],
            &["folder /system/app/"],
            &["folder /data/app/Notes"],
            &["folder /system/app/Notes/lib"],
            &["file:base.apk /system/app/Notes"],
            &[own, "file:x /system/app/Notes/../Other/x"],
            &[own, "file:x /system/app/Notes2/x"],
            &[own, "file:x /system/framework/x"],
            &[own, own],
        ] {
            assert!(!is_one_folder(&placed(bad)), "{bad:?}");
        }
    }

    #[test]
    fn it_is_written_down_and_read_again() {
        for text in [
            "755 0 0 u:object_r:system_file:s0 folder /system/app/Notes",
            "644 0 0 - file:base.apk /system/app/Notes/a b.apk",
            "777 0 2000 u:object_r:system_file:s0 link:/system/lib64/libx.so /system/app/Notes/lib/arm64/libx.so",
        ] {
            assert_eq!(text.parse::<Placed>().unwrap().to_string(), text);
        }
        for bad in [
            "",
            "888 0 0 - folder /x",
            "10000 0 0 - folder /x",
            "644 0 0 - file:../x /x",
            "644 0 0 $(reboot) folder /x",
            "644 0 0 - folder x",
            "644 0 0 - what: /x",
            "644 0 -1 - folder /x",
        ] {
            assert!(bad.parse::<Placed>().is_err(), "{bad}");
        }
    }

    proptest! {
        #[test]
        fn any_text_is_a_place_or_none(text in any::<String>()) {
            if let Ok(placed) = text.parse::<Placed>() {
                prop_assert_eq!(placed.to_string().parse::<Placed>().unwrap(), placed);
            }
        }
    }
}
