//! The APKs of bench devices as files, for tests of what reads APKs.

use super::image::Image;
use super::plan::{Oddity, Plan};
use crate::catalogue::labels::translation;
use crate::scenario::{Scenario, SimKind, SimPackage};

/// An APK of a bench device.
#[derive(Debug)]
pub struct SampleApk {
    /// The package.
    pub id: String,
    /// Whether it has an entry on the home screen.
    pub launcher: bool,
    plan: Plan,
    image: Image,
}

impl SampleApk {
    /// Every package's base APK.
    pub fn all_of(scenario: &Scenario) -> impl Iterator<Item = Self> + '_ {
        scenario.inventory.packages.iter().map(|package| {
            let plan = scenario.apk_plan(package);
            Self { id: package.id.clone(), launcher: plan.launcher, image: plan.write(true), plan }
        })
    }

    /// An app that no bench device has: a keyboard of the workshop's own, as it would be got from somewhere else.
    pub fn keyboard() -> Self {
        let scenario = Scenario::crew_phone();
        let package = SimPackage { id: "fer.pellmoor.keys".into(), kind: SimKind::User, ..SimPackage::default() };
        let plan = scenario.apk_plan(&package);
        Self { id: package.id, launcher: plan.launcher, image: plan.write(true), plan }
    }

    /// Its length in bytes.
    pub fn size(&self) -> u64 {
        self.image.len()
    }

    /// A range of it, as far as there is one.
    pub fn read(&self, at: u64, len: usize) -> Vec<u8> {
        self.image.read(at, len)
    }

    /// What is odd about it: `none`, `cut`, `no-entry` …
    pub fn oddity(&self) -> &'static str {
        match self.plan.oddity {
            Oddity::None => "none",
            Oddity::DeflatedTable => "deflated-table",
            Oddity::Garbage => "garbage",
            Oddity::Prefix => "prefix",
            Oddity::Comment => "comment",
            Oddity::NoEntry => "no-entry",
            Oddity::Cut => "cut",
            Oddity::NoLabel => "no-label",
            Oddity::Literal => "literal",
            Oddity::Framework => "framework",
        }
    }

    /// The label that was put into it in a language (`de`, `zh-CN`), or in none in particular (an empty text); `None`
    /// where what is odd about it leaves none.
    pub fn label(&self, language: &str) -> Option<&str> {
        match self.plan.oddity {
            Oddity::NoEntry | Oddity::Cut | Oddity::NoLabel | Oddity::Framework => None,
            Oddity::Literal => Some(&self.plan.title),
            _ => Some(translation(&self.id, language).unwrap_or(&self.plan.title)),
        }
    }
}
