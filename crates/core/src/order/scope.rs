//! For which devices an order is.

use std::fmt;
use std::str::FromStr;

use crate::device::{DeviceFacts, DeviceKind};

/// For which devices an order is. What is empty lets every device pass.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Scope {
    /// The makers.
    pub makers: Vec<String>,
    /// The models: as the device tells its model, or the name that it is sold under.
    pub models: Vec<String>,
    /// The kinds of device.
    pub kinds: Vec<DeviceKind>,
    /// The oldest version of Android.
    pub from: Option<Release>,
    /// The newest version of Android, all its updates included.
    pub to: Option<Release>,
}

/// A version of Android as people name it: `14`, `8.1`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Release(Vec<u32>);

/// What is no version.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("“{0}” is no version of Android; it is written as in 14 or 8.1")]
pub struct BadRelease(String);

impl FromStr for Release {
    type Err = BadRelease;

    fn from_str(text: &str) -> Result<Self, BadRelease> {
        let parts: Option<Vec<u32>> = text.split('.').map(|part| part.parse().ok().filter(|n| *n < 1000)).collect();
        parts.filter(|parts| parts.len() <= 4).map(Self).ok_or_else(|| BadRelease(text.chars().take(40).collect()))
    }
}

impl fmt::Display for Release {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let parts: Vec<String> = self.0.iter().map(ToString::to_string).collect();
        f.write_str(&parts.join("."))
    }
}

impl Release {
    /// As far as this one is told: 8.1.0 is no later than 8.1, and no earlier.
    fn held_against(&self, other: &Self) -> std::cmp::Ordering {
        let part = |n: usize| other.0.get(n).copied().unwrap_or(0);
        self.0
            .iter()
            .enumerate()
            .map(|(n, own)| part(n).cmp(own))
            .find(|order| order.is_ne())
            .unwrap_or(std::cmp::Ordering::Equal)
    }
}

impl Scope {
    /// Whether it is for every device.
    pub fn is_for_all(&self) -> bool {
        *self == Self::default()
    }

    /// Why it is not for a device, a line for each reason; nothing where it is.
    pub fn speaks_against(&self, facts: &DeviceFacts) -> Vec<String> {
        let mut reasons = Vec::new();
        let same = |one: &str, other: &str| one.to_lowercase() == other.to_lowercase();
        let maker = facts.maker.as_str();
        if !self.makers.is_empty() && !self.makers.iter().any(|own| same(own, maker)) {
            reasons.push(format!("it is made by {maker}, and the order is for {}", self.makers.join(", ")));
        }
        let name = facts.name();
        let names = [facts.model.as_str(), facts.market.as_str(), &name];
        if !self.models.is_empty() && !self.models.iter().any(|own| names.iter().any(|name| same(own, name))) {
            reasons.push(format!("it is a {name}, and the order is for {}", self.models.join(", ")));
        }
        if !self.kinds.is_empty() && !self.kinds.contains(&facts.kind) {
            let kinds: Vec<&str> = self.kinds.iter().map(|kind| kind.name()).collect();
            reasons.push(format!("its kind is {}, and the order is for {}", facts.kind.name(), kinds.join(", ")));
        }
        if self.from.is_some() || self.to.is_some() {
            let told = facts.android.release().as_str();
            match told.parse::<Release>() {
                Err(_) => reasons.push(format!("it does not tell its version of Android in numbers, but as “{told}”")),
                Ok(has) => {
                    if let Some(from) = self.from.as_ref().filter(|from| from.held_against(&has).is_lt()) {
                        reasons.push(format!("it has Android {told}, and the order is for {from} and later"));
                    }
                    if let Some(to) = self.to.as_ref().filter(|to| to.held_against(&has).is_gt()) {
                        reasons.push(format!("it has Android {told}, and the order is for {to} and earlier"));
                    }
                }
            }
        }
        reasons
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;
    use wibbet_types::{AndroidVersion, PlainText};

    #[test]
    fn devices_it_is_for() {
        let of = |release: &str| DeviceFacts { android: AndroidVersion::new(0, release), ..testing::facts() };
        let all = Scope::default();
        assert!(all.is_for_all() && all.speaks_against(&of("14")).is_empty());
        let by = |from: &str, to: &str| {
            let release = |text: &str| (!text.is_empty()).then(|| text.parse().unwrap());
            Scope { from: release(from), to: release(to), ..Scope::default() }
        };
        for (from, to, release, fits) in [
            ("14", "", "14", true),
            ("14", "", "13", false),
            ("14", "", "15", true),
            ("", "8.1", "8.1.0", true),
            ("", "8", "8.1.0", true),
            ("", "8.1", "9", false),
            ("8.1", "", "8", false),
            ("8.1", "9", "8.1.0", true),
            ("6", "", "6.0.1", true),
            ("6", "", "Tiramisu", false),
        ] {
            let reasons = by(from, to).speaks_against(&of(release));
            assert_eq!(reasons.is_empty(), fits, "{from}..{to} {release}: {reasons:?}");
        }
        for bad in ["", "x", "14.", "-1", "1.2.3.4.5", "99999999999"] {
            assert!(bad.parse::<Release>().is_err(), "{bad}");
        }
    }

    #[test]
    fn makers_models_and_kinds() {
        let tarn = testing::facts();
        let sold = DeviceFacts { market: PlainText::new("Tarn Five"), ..testing::facts() };
        let scope = |makers: &[&str], models: &[&str], kinds: &[DeviceKind]| Scope {
            makers: makers.iter().map(ToString::to_string).collect(),
            models: models.iter().map(ToString::to_string).collect(),
            kinds: kinds.to_vec(),
            ..Scope::default()
        };
        for (scope, facts, fits) in [
            (scope(&["corvane"], &[], &[]), &tarn, true),
            (scope(&["Ostrel"], &[], &[]), &tarn, false),
            (scope(&[], &["tarn 5"], &[]), &tarn, true),
            (scope(&[], &["Corvane Tarn 5"], &[]), &tarn, true),
            (scope(&[], &["Tarn Five"], &[]), &sold, true),
            (scope(&[], &["Rill 2"], &[]), &tarn, false),
            (scope(&[], &[], &[DeviceKind::Tablet, DeviceKind::Tv]), &tarn, false),
            (scope(&["Corvane"], &["Tarn 5"], &[DeviceKind::Phone]), &tarn, true),
        ] {
            assert_eq!(scope.speaks_against(facts).is_empty(), fits, "{scope:?}");
        }
    }
}
