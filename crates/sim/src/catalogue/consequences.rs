//! What breaks when packages are off, from `scenarios/consequences.toml`, whose head says how it is written.

use std::sync::OnceLock;

use serde::Deserialize;

use crate::scenario::{BreakKind, BreakMoment, BreakRule, Scenario};

/// Something that is broken for a user.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Broken {
    /// What its people find.
    pub what: String,
    /// What kind of thing that is.
    pub kind: BreakKind,
    /// Of a start: 1 the package service never comes up, 2 the system dies behind it, 3 it starts and cannot be used.
    pub class: Option<u8>,
    /// For whom.
    pub user: u32,
    /// When it shows.
    pub at: BreakMoment,
    /// The packages any of which would mend it, of those that the device has.
    pub mended_by: Vec<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    breaks: Vec<BreakRule>,
}

const TEXT: &str = include_str!("../../scenarios/consequences.toml");

#[expect(clippy::expect_used, reason = "the file is part of the program and read in its tests")]
fn rules() -> &'static [BreakRule] {
    static ALL: OnceLock<File> = OnceLock::new();
    &ALL.get_or_init(|| toml::from_str(TEXT).expect("the consequences read")).breaks
}

/// The rule that says what is found.
pub(crate) fn rule<'a>(scenario: &'a Scenario, what: &str) -> Option<&'a BreakRule> {
    rules().iter().chain(&scenario.breaks).find(|rule| rule.what == what)
}

/// What is broken for a user that was not before: by which packages were in use then, and which are now.
pub(crate) fn broken(
    scenario: &Scenario,
    user: u32,
    before: impl Fn(&str) -> bool,
    now: impl Fn(&str) -> bool,
) -> Vec<Broken> {
    let sdk = scenario.android.sdk;
    let own = scenario.breaks.iter();
    let holds = |rule: &&BreakRule| {
        let there: Vec<&String> = rule.none.iter().filter(|id| before(id)).collect();
        let counted_on = rule.only_while.is_empty() || rule.only_while.iter().any(|id| before(id) && now(id));
        rule.sdk.is_none_or(|(from, to)| (from..=to).contains(&sdk))
            && (!rule.owner || user == 0)
            && rule.locked_with.is_none_or(|lock| lock == scenario.locked_with)
            && counted_on
            && !there.is_empty()
            && !there.iter().any(|id| now(id))
    };
    let told = |rule: &BreakRule| Broken {
        what: rule.what.clone(),
        kind: rule.kind,
        class: rule.class,
        user,
        at: rule.at,
        mended_by: rule.none.iter().filter(|id| before(id)).cloned().collect(),
    };
    rules().iter().chain(own).filter(holds).map(told).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_rule_is_of_some_device_and_whole() {
        let devices = Scenario::all();
        let known = |id: &String| devices.iter().any(|(_, d)| d.inventory.packages.iter().any(|p| p.id == *id));
        for rule in rules() {
            assert!(rule.none.iter().chain(&rule.only_while).all(known), "{} {:?}", rule.what, rule.none);
            assert!(rule.is_whole(), "{}", rule.what);
            assert!(rule.kind != BreakKind::Need || !rule.only_while.is_empty());
        }
    }

    #[test]
    fn the_last_of_several_breaks_it_and_only_while_somebody_counts_on_it() {
        let phone = Scenario::crew_phone();
        let keyboards = ["com.android.inputmethod.latin", "com.corvane.keyboard"];
        let of = |off: &[&str]| broken(&phone, 0, |_| true, |id| !off.contains(&id));
        assert_eq!(of(&[]), []);
        assert_eq!(of(&keyboards[..1]), []);
        let here = |id: &str| phone.inventory.packages.iter().any(|p| p.id == id);
        let both = broken(&phone, 0, here, |id| here(id) && !keyboards.contains(&id));
        assert_eq!(both.len(), 1);
        assert_eq!(both[0].mended_by, keyboards);
        let weather = ["com.corvane.weather.provider", "com.corvane.weather", "com.corvane.weather.widget"];
        assert_eq!((of(&weather[..1]).len(), of(&weather).len()), (1, 0));
        // Of another user's the start does not depend.
        let sandbox = |user| broken(&phone, user, |_| true, |id| id != "com.android.sdksandbox").len();
        assert_eq!((sandbox(0), sandbox(10)), (1, 0));
    }
}
