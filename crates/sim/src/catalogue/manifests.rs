//! What manifests declare beyond what every made-up app has, from `scenarios/manifests.txt`, whose head says how it is written.

use std::sync::OnceLock;

pub(crate) use crate::scenario::Element;
use crate::scenario::Scenario;
use crate::scenario::manifests::{self, Block};

const TEXT: &str = include_str!("../../scenarios/manifests.txt");

/// What the manifest of a package says on an API level, application first.
pub(crate) fn of(id: &str, sdk: u32) -> Vec<&'static Element> {
    static ALL: OnceLock<Vec<Block>> = OnceLock::new();
    manifests::of(ALL.get_or_init(|| manifests::read(TEXT)), id, sdk)
}

impl Scenario {
    /// What the manifest of a package declares beyond what every made-up app has.
    pub(crate) fn declared(&self, id: &str) -> Vec<&'static Element> {
        let mut all = of(id, self.android.sdk);
        all.extend(manifests::of(self.own().manifests, id, self.android.sdk));
        all
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_line_says_something_and_every_package_is_on_some_device() {
        let blocks = manifests::read(TEXT);
        let devices = Scenario::all();
        // What comes from elsewhere is on none.
        let brought = crate::apk::SampleApk::keyboard().id;
        for block in &blocks {
            for id in block.ids() {
                let known = devices.iter().any(|(_, d)| d.inventory.packages.iter().any(|p| p.id == **id));
                assert!(known || **id == *brought, "{id}");
            }
        }
        assert_eq!(manifests::trouble(&blocks), None);
        for (text, why) in [
            ("a.b", "declares nothing"),
            ("a.b\n  servant .S", "no part of a manifest"),
            ("a.b\n  service .S acton=x", "acton=x"),
            ("a.b\n  service .S wide", "wide"),
            ("a.b\n  service", "without a class"),
        ] {
            let found = manifests::trouble(&manifests::read(text)).unwrap_or_default();
            assert!(found.contains(why), "{text}: {found}");
        }
        assert!(of("com.android.providers.media", 29).iter().any(|e| e.one("authority") == Some("media")));
        assert!(!of("com.android.providers.media", 30).iter().any(|e| e.one("authority") == Some("media")));
    }
}
