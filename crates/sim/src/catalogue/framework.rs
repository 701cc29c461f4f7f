//! Texts of the framework by which Android finds parts of itself, from `scenarios/framework.txt`, whose head says how it is written.

use std::sync::OnceLock;

use crate::scenario::Scenario;
use crate::scenario::framework::{self, Block};

const TEXT: &str = include_str!("../../scenarios/framework.txt");

/// The names and texts of a package on an API level.
pub(crate) fn of(id: &str, sdk: u32, tv: bool) -> Vec<(&'static str, &'static str)> {
    static ALL: OnceLock<Vec<Block>> = OnceLock::new();
    framework::of(ALL.get_or_init(|| framework::read(TEXT)), id, sdk, tv)
}

impl Scenario {
    /// The framework's texts that a package has, those of the scenario in place of the program's.
    pub(crate) fn framework_texts(&self, id: &str) -> Vec<(&'static str, &'static str)> {
        let (sdk, tv) = (self.android.sdk, self.characteristics.contains("tv"));
        let mut all = framework::of(self.own().framework, id, sdk, tv);
        let first = of(id, sdk, tv).into_iter().filter(|(name, _)| all.iter().all(|(own, _)| own != name));
        let first: Vec<_> = first.collect();
        all.extend(first);
        all
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_line_says_something() {
        let blocks = framework::read(TEXT);
        let lines = TEXT.lines().filter(|line| line.starts_with(' ')).count();
        assert_eq!(blocks.iter().map(|block| block.texts().len()).sum::<usize>(), lines);
        let names = blocks.iter().flat_map(|block| block.texts());
        assert!(names.clone().all(|(name, text)| name.starts_with("config_") && !text.contains(' ')));
        assert!(of("android", 34, false).len() > of("android", 23, false).len());
        assert_eq!(of("android", 30, true).len(), of("android", 30, false).len() + 1);
    }
}
