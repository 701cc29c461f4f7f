//! The text that both sides introduce themselves with.

use std::collections::BTreeSet;

use wibbet_types::PlainText;

/// Something that a side can do beyond the first version of the protocol.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Feature {
    /// `shell,v2`: separate error output and exit code.
    ShellV2,
    /// A `cmd` binary on the device.
    Cmd,
    /// Binder calls without a shell, framed as `shell,v2`.
    Abb,
    /// Binder calls without a shell, raw.
    AbbExec,
    /// 64-bit sizes in the sync service.
    StatV2,
}

impl Feature {
    const ALL: [(Self, &'static str); 5] = [
        (Self::ShellV2, "shell_v2"),
        (Self::Cmd, "cmd"),
        (Self::Abb, "abb"),
        (Self::AbbExec, "abb_exec"),
        (Self::StatV2, "stat_v2"),
    ];

    /// The name in a banner.
    pub fn name(self) -> &'static str {
        Self::ALL.iter().find(|(f, _)| *f == self).map_or("", |(_, name)| name)
    }
}

/// The features that a side announces. Those that Wibbet does not know are left out.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Features(BTreeSet<Feature>);

impl Features {
    /// Whether the feature is there.
    pub fn has(&self, feature: Feature) -> bool {
        self.0.contains(&feature)
    }

    /// The names, as in a banner.
    pub fn names(&self) -> Vec<&'static str> {
        self.0.iter().map(|f| f.name()).collect()
    }

    /// Reads a comma-separated list.
    pub fn read(list: &str) -> Self {
        let known = |name: &str| Feature::ALL.iter().find(|(_, n)| *n == name.trim()).map(|(f, _)| *f);
        Self(list.split(',').filter_map(known).collect())
    }
}

impl FromIterator<Feature> for Features {
    fn from_iter<I: IntoIterator<Item = Feature>>(features: I) -> Self {
        Self(features.into_iter().collect())
    }
}

/// What a device says of itself when the connection is made. All of it is for display, but for
/// the features: the device is asked properly later.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Banner {
    /// `device`, or `recovery`, `sideload`, `rescue`, `bootloader`.
    pub state: PlainText,
    /// `ro.product.model`.
    pub model: PlainText,
    /// `ro.product.name`.
    pub product: PlainText,
    /// What the device can do.
    pub features: Features,
}

impl Banner {
    /// Reads `device::ro.product.name=…;ro.product.model=…;features=…`. Any text gives a banner;
    /// what is missing stays empty.
    pub fn read(bytes: &[u8]) -> Self {
        let text = String::from_utf8_lossy(bytes);
        let text = text.trim_end_matches('\0');
        let mut parts = text.splitn(3, ':');
        let state = parts.next().unwrap_or_default();
        let properties = parts.nth(1).unwrap_or_default();
        let mut banner = Self { state: PlainText::short(state), ..Self::default() };
        for (name, value) in properties.split(';').filter_map(|p| p.split_once('=')) {
            match name.trim() {
                "ro.product.model" => banner.model = PlainText::short(value),
                "ro.product.name" => banner.product = PlainText::short(value),
                "features" => banner.features = Features::read(value),
                _ => {}
            }
        }
        banner
    }

    /// What Wibbet says of itself. `delayed_ack` and the compressing sync are left out on purpose:
    /// a device uses what the host announces, and Wibbet does not speak those.
    pub fn of_host() -> Vec<u8> {
        let names: Vec<&str> = Feature::ALL.iter().map(|(_, name)| *name).collect();
        format!("host::features={}", names.join(",")).into_bytes()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn banners_new_old_and_odd() {
        let new = Banner::read(
            b"device::ro.product.name=tarn5;ro.product.model=Tarn 5;ro.product.device=tarn5;features=shell_v2,cmd,abb,apex",
        );
        assert_eq!((new.state.as_str(), new.model.as_str(), new.product.as_str()), ("device", "Tarn 5", "tarn5"));
        assert!(new.features.has(Feature::ShellV2) && new.features.has(Feature::Abb));
        assert!(!new.features.has(Feature::AbbExec));
        let old = Banner::read(b"device::ro.product.name=p;ro.product.model=Pocket;ro.product.device=p;\0");
        assert_eq!(old.model.as_str(), "Pocket");
        assert_eq!(old.features, Features::default());
        assert_eq!(Banner::read(b"recovery::").state.as_str(), "recovery");
        assert_eq!(Banner::read(b"device:\x1b[2J:x").state.as_str(), "device");
    }

    #[test]
    fn the_host_announces_what_it_speaks() {
        let text = String::from_utf8(Banner::of_host()).unwrap();
        assert!(text.starts_with("host::features=") && text.contains("shell_v2"));
        assert!(!text.contains("delayed_ack"));
    }

    proptest! {
        #[test]
        fn any_bytes_are_a_banner(bytes in any::<Vec<u8>>()) {
            let banner = Banner::read(&bytes);
            prop_assert!(!banner.state.as_str().contains('\x1b'));
        }
    }
}
