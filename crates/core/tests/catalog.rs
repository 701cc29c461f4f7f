//! Everything that is known of packages, put together, sorted and written out.

use std::collections::BTreeMap;
use std::sync::Arc;

use proptest::prelude::*;
use wibbet_core::android::permission_words;
use wibbet_core::catalog::{Attribute, Catalog, CatalogEntry, Column};
use wibbet_core::package::{
    AppFacts, AppNames, HomeEntry, Metrics, Note, Package, PackageDetails, PackageKind, PackageState, Scope, Sizes,
    Source, Usage, notes_by_package,
};
use wibbet_core::testing;
use wibbet_types::{DeviceTime, PackageId, PlainText, UserId};

const OWNER: UserId = UserId::OWNER;
const NOW: i64 = 1_000 * 86_400;

fn id(n: usize) -> PackageId {
    format!("com.ostrel.part{n}").parse().unwrap()
}

/// Packages of which each source tells only some.
fn catalog(told: &[[bool; 5]]) -> Catalog {
    let mut packages = Vec::new();
    let mut names = AppNames::default();
    let mut metrics = Metrics { now: Some(DeviceTime(NOW)), ..Metrics::default() };
    metrics.asked.extend(Source::ALL);
    let mut notes = Vec::new();
    for (n, [label, size, memory, used, noted]) in told.iter().enumerate() {
        let states = BTreeMap::from([(OWNER, PackageState::IN_USE), (UserId::new(10), PackageState::ABSENT)]);
        packages.push(Package::bare(id(n), PackageKind::System, states));
        if *label {
            let label = Some(PlainText::new(&format!("Label {}", 100 - n)));
            names.apps.insert(id(n), AppFacts { label, ..AppFacts::default() });
        }
        if *size {
            metrics.sizes.insert(id(n), Sizes { code: Some(10 * n as u64), data: Some(1), cache: Some(2) });
        }
        if *memory {
            metrics.memory.insert(id(n), n as u64 * 1000);
        }
        let usage = metrics.usage.entry(OWNER).or_default();
        if *used {
            let last = Some(DeviceTime(NOW - n as i64 * 86_400));
            usage.insert(id(n), Usage { last, seconds: n as u64 * 60, ..Usage::default() });
        }
        if *noted {
            notes.push(Note { id: id(n), scope: Scope::All, text: format!("note {n}"), star: n % 2 == 0 });
        }
    }
    Catalog {
        names: Arc::new(names),
        metrics: Arc::new(metrics),
        notes: Arc::new(notes_by_package(notes)),
        ..Catalog::new(Arc::new(testing::inventory(&[], packages)))
    }
}

fn told(entry: &CatalogEntry<'_>) -> Vec<Option<String>> {
    Attribute::columns().map(|column| column.text(entry)).collect()
}

proptest! {
    /// Going through all sources side by side gives what looking each package up gives.
    #[test]
    fn all_at_once_is_as_one_by_one(known in proptest::collection::vec(any::<[bool; 5]>(), 0..30)) {
        let catalog = catalog(&known);
        let mut seen = 0;
        for entry in catalog.entries(OWNER) {
            let one = catalog.entry(&entry.package.id, OWNER).unwrap();
            prop_assert_eq!(told(&entry), told(&one));
            prop_assert_eq!(entry.name(), one.name());
            seen += 1;
        }
        prop_assert_eq!(seen, known.len());
    }

    /// Every column sorts everything, either way, with what is not told at the end.
    #[test]
    fn columns_sort(known in proptest::collection::vec(any::<[bool; 5]>(), 0..20), other_way: bool) {
        let catalog = catalog(&known);
        for column in Attribute::columns() {
            let mut entries: Vec<CatalogEntry<'_>> = catalog.entries(OWNER).collect();
            entries.sort_by(|a, b| column.order(a, b, other_way));
            let numbers = [Attribute::SIZE, Attribute::CODE, Attribute::DATA, Attribute::CACHE, Attribute::MEMORY, Attribute::USE].contains(&column);
            if numbers {
                let values: Vec<Option<i64>> =
                    entries.iter().map(|s| column.text(s).and_then(|v| v.parse().ok())).collect();
                let first_none = values.iter().position(Option::is_none).unwrap_or(values.len());
                prop_assert!(values[first_none..].iter().all(Option::is_none), "{column:?} {values:?}");
                let told = &values[..first_none];
                let sorted = if other_way { told.is_sorted() } else { told.is_sorted_by(|a, b| a >= b) };
                prop_assert!(sorted, "{column:?} {values:?}");
            }
        }
    }
}

#[test]
fn what_columns_say() {
    let catalog = catalog(&[[true; 5], [true, true, true, true, false], [false; 5]]);
    let words = |n: usize, column: Column| column.words(&catalog.entry(&id(n), OWNER).unwrap());
    let some = |text: &str| Some(text.to_owned());
    for (n, column, said) in [
        (0, Attribute::LABEL, some("Label 100")),
        (2, Attribute::LABEL, some("Part2")),
        (1, Attribute::SIZE, some("13 B")),
        (2, Attribute::SIZE, None),
        (1, Attribute::MEMORY, some("1.0 kB")),
        (2, Attribute::MEMORY, some("")),
        (0, Attribute::IDLE, some("today")),
        (1, Attribute::IDLE, some("yesterday")),
        (2, Attribute::IDLE, some("none seen")),
        (1, Attribute::USE, some("1 min")),
        (0, Attribute::NOTE, some("★ note 0")),
        (2, Attribute::NOTE, some("")),
        (0, Attribute::STATES, some("in use")),
        (0, Attribute::INSTALLER, some("")),
        (0, Attribute::CAME, None),
    ] {
        assert_eq!(words(n, column), said, "{n} {column:?}");
    }
    // To the user who does not have it, use says nothing.
    let other = catalog.entry(&id(0), UserId::new(10)).unwrap();
    assert_eq!((Attribute::IDLE.words(&other), Attribute::STATES.text(&other)), (None, some("absent")));
}

#[test]
fn what_is_not_told_says_why() {
    let mut catalog = catalog(&[[false; 5]]);
    let metrics = Arc::make_mut(&mut catalog.metrics);
    metrics.gaps.insert(Source::Memory, "“dumpsys meminfo” said nothing".into());
    metrics.asked.remove(&Source::Usage);
    assert_eq!(Attribute::MEMORY.why_not(&catalog).as_deref(), Some("“dumpsys meminfo” said nothing"));
    assert_eq!(Attribute::IDLE.why_not(&catalog).as_deref(), Some("not read yet"));
    assert_eq!(Attribute::SIZE.why_not(&catalog), None);
    assert_eq!(Attribute::LABEL.why_not(&catalog), None);
    // What was read later takes the place of why it was not.
    let mut later = Metrics::default();
    later.asked.insert(Source::Memory);
    later.memory.insert(id(0), 5);
    Arc::make_mut(&mut catalog.metrics).merge(later);
    assert_eq!(Attribute::MEMORY.why_not(&catalog), None);
    assert_eq!(Attribute::MEMORY.text(&catalog.entry(&id(0), OWNER).unwrap()).as_deref(), Some("5"));
}

#[test]
fn people_know_an_app_by_what_stands_on_the_home_screen() {
    let text = |t: &str| Some(PlainText::new(t));
    let entry = |label: Option<PlainText>| HomeEntry { class: "x".into(), label };
    for (label, home, name) in [
        (text("App"), vec![], Some("App")),
        (text("App"), vec![entry(None)], Some("App")),
        (text("App"), vec![entry(text("Home"))], Some("Home")),
        (text("App"), vec![entry(text("One")), entry(text("Two"))], Some("App")),
        (None, vec![entry(text("Home"))], Some("Home")),
        (None, vec![], None),
    ] {
        let facts = AppFacts { label, home, ..AppFacts::default() };
        assert_eq!(facts.name().map(PlainText::as_str), name);
    }
}

#[test]
fn permissions_worth_noting_are_counted_by_user() {
    let asks = ["android.permission.CAMERA", "android.permission.INTERNET", "com.ostrel.OWN"];
    let about = PackageDetails {
        requests: asks.map(Into::into).to_vec(),
        granted: [asks[1].into(), asks[2].into()].into(),
        granted_to: BTreeMap::from([(UserId::new(10), [asks[0].into()].into())]),
        ..PackageDetails::default()
    };
    let package = Package { about, ..Package::bare(id(0), PackageKind::User, BTreeMap::new()) };
    let packages = [package];
    let catalog = Catalog::new(Arc::new(testing::inventory(&[], packages)));
    let count = |user| Attribute::PERMISSIONS.words(&catalog.entry(&id(0), UserId::new(user)).unwrap());
    assert_eq!((count(0).as_deref(), count(10).as_deref()), (Some("1"), Some("2")));
    assert_eq!(permission_words(asks[0]), Some("take pictures"));
    assert_eq!(permission_words(asks[2]), None);
    assert_eq!(permission_words("android.permission.NO_SUCH"), None);
}
