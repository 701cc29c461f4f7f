use std::collections::BTreeMap;
use std::sync::Arc;

use proptest::prelude::*;
use wibbet_types::{DeviceTime, PackageId, PlainText, UserId};

use crate::catalog::{Catalog, Chosen};
use crate::testing;

use super::*;
use crate::package::{
    AppFacts, AppNames, Enabled, HomeEntry, Metrics, Note, Package, PackageDetails, PackageKind, PackageState, Scope,
    Sizes, Source, Usage,
};

const NOW: i64 = 400 * 86_400;

/// Five packages, of which the last one is told nothing about.
fn catalog() -> Catalog {
    let mut packages = Vec::new();
    let mut metrics = Metrics { now: Some(DeviceTime(NOW)), ..Metrics::default() };
    metrics.asked.extend(Source::ALL);
    let mut names = AppNames::default();
    let used = metrics.usage.entry(UserId::OWNER).or_default();
    for (id, label, kind, path, enabled, megabytes, idle) in [
        (
            "com.ostrel.notes",
            "Notizen",
            PackageKind::UpdatedSystem,
            "/product/app/N",
            Enabled::DisabledUser,
            20,
            Some(2),
        ),
        ("com.corvane.radio", "Nebelhorn", PackageKind::System, "/system/app/R", Enabled::Default, 80, Some(120)),
        ("net.skerry.offers", "Strandgut", PackageKind::System, "/product/app/O", Enabled::Default, 60, None),
        ("io.tidewrack.chat", "瓶の手紙", PackageKind::User, "/data/app/c", Enabled::Default, 10, Some(0)),
    ] {
        let id: PackageId = id.parse().unwrap();
        let states = BTreeMap::from([(UserId::OWNER, PackageState { enabled, ..PackageState::IN_USE })]);
        let about = PackageDetails {
            requests: vec![format!("{id}.CAMERA").into()],
            target_sdk: Some(30),
            ..PackageDetails::default()
        };
        packages.push(Package { path: path.parse().ok(), about, ..Package::bare(id.clone(), kind, states) });
        metrics.sizes.insert(id.clone(), Sizes { code: Some(megabytes * 1_000_000), data: Some(1), cache: Some(0) });
        used.insert(
            id.clone(),
            Usage { last: idle.map(|d: i64| DeviceTime(NOW - d * 86_400 - 5)), seconds: 60, ..Usage::default() },
        );
        let home = vec![HomeEntry { class: PlainText::new("X"), label: None }];
        names.apps.insert(id, AppFacts { label: Some(PlainText::new(label)), home, ..AppFacts::default() });
    }
    let id: PackageId = "com.android.shell".parse().unwrap();
    packages.push(Package::bare(id, PackageKind::System, BTreeMap::new()));
    let note =
        Note { id: "net.skerry.offers".parse().unwrap(), scope: Scope::Model, text: "Werbung".into(), star: true };
    Catalog {
        names: Arc::new(names),
        metrics: Arc::new(metrics),
        notes: Arc::new(crate::package::notes_by_package(vec![note])),
        ..Catalog::new(Arc::new(testing::inventory(&[], packages)))
    }
}

fn found(line: &str) -> String {
    let chosen = Chosen::from(["com.corvane.radio".parse().unwrap()]);
    let found = Search::read(line).run(&catalog(), UserId::OWNER, &chosen, &mut Matcher::default());
    found.iter().map(|id| id.as_str().rsplit('.').next().unwrap()).collect::<Vec<_>>().join(" ")
}

#[test]
fn words_facts_and_comparisons() {
    for (line, finds) in [
        ("", "shell radio notes chat offers"),
        ("nebel", "radio"),
        ("NEBEL corvane", "radio"),
        ("nblhrn", "radio"),
        ("手紙", "chat"),
        ("werbung", "offers"),
        ("xyzzy", ""),
        ("ä", ""),
        (":disabled", "notes"),
        (":dis", "notes"),
        (":off", "notes"),
        ("!:off :home", "radio chat offers"),
        (":system", "shell radio notes offers"),
        (":updated | :user", "notes chat"),
        (":product", "notes offers"),
        (":tray", "radio"),
        (":star", "offers"),
        (":unused", "offers"),
        (":unnamed", "shell"),
        (":size>50M", "radio offers"),
        (":size>=20.000001M :size<=20,000001mb", "notes"),
        (":idle>90d :size>50M", "radio offers"),
        (":idle<1w", "notes chat"),
        ("!:size>50M", "notes chat"),
        (":permission=camera", "radio notes chat offers"),
        (":label=gut", "offers"),
        (":note=werb", "offers"),
        (":target>=30 (nebel | :label=\"notizen\")", "radio notes"),
        (":for=0", "radio notes chat offers"),
        (":memory<1k", "shell radio notes chat offers"),
        ("\"com.corvane\"", "radio"),
        (":", "shell radio notes chat offers"),
    ] {
        let mut ours: Vec<String> = found(line).split(' ').map(str::to_owned).collect();
        let mut theirs: Vec<String> = finds.split(' ').map(str::to_owned).collect();
        ours.sort();
        theirs.sort();
        assert_eq!(ours, theirs, "{line}");
        assert_eq!(Search::read(line).trouble, None, "{line}");
    }
}

#[test]
fn the_best_come_first() {
    // A label with the word as it stands, then an id with it, then letters of it.
    assert_eq!(found("notes"), "notes");
    assert!(found("o").starts_with("radio notes"), "labels count for more than ids: {}", found("o"));
    assert!(found("off").starts_with("offers"), "{}", found("off"));
    let search = Search::read("nbl | \"horn\"");
    assert_eq!(search.letters("Nebelhorn", &mut Matcher::default()), [0, 2, 4, 5, 6, 7, 8]);
    assert!(search.ranks() && !Search::read(":off").ranks());
}

#[test]
fn trouble_points_at_its_spot_and_the_rest_is_searched_for() {
    for (line, spot, words, finds) in [
        (":size>abc nebel", "abc", "this is no size", "radio"),
        (":size> nebel", "", "a size belongs here", "radio"),
        (":idle>3x", "3x", "this is no time", "shell radio notes chat offers"),
        (":blue nebel", ":blue", "no fact “blue”", "radio"),
        (":size", ":size", "as in :size>50M", "shell radio notes chat offers"),
        (":label>x", ">", "only = goes with text", "shell radio notes chat offers"),
        (":size=>5", "=>", "no comparison", "shell radio notes chat offers"),
        ("(nebel", "(", "“)” is missing", "radio"),
        ("nebel)", ")", "there is no “(”", "radio"),
        (":what=x", ":what", "nothing called", "shell radio notes chat offers"),
    ] {
        let trouble = Search::read(line).trouble.unwrap();
        assert_eq!(&line[trouble.span.clone()], spot, "{line}");
        assert!(trouble.kind.to_string().contains(words), "{line}: {}", trouble.kind);
        assert_eq!(found(line), finds, "{line}");
    }
}

#[test]
fn words_are_completed() {
    let offers = |line: &str| {
        let all = Search::complete(line, line.len());
        all.iter().map(|c| format!("{}{}", &line[..c.at.start], c.text)).collect::<Vec<_>>()
    };
    assert_eq!(offers("x :dis"), ["x :disabled "]);
    assert_eq!(offers("(!:si"), ["(!:size>"]);
    assert_eq!(offers(":in"), [":in-use ", ":installer="]);
    assert!(offers(":").len() > 40);
    assert!(offers("dis").is_empty() && offers("").is_empty());
    assert_eq!(Search::complete(":dixx >", 3)[0].at, 0..5);
    // Whatever is offered can be read.
    for offer in offers(":") {
        let value = if offer.ends_with('=') || offer.ends_with('>') { "5" } else { "" };
        assert_eq!(Search::read(&format!("{offer}{value}")).trouble, None, "{offer}");
    }
}

proptest! {
    #[test]
    fn any_line_is_a_search(line in any::<String>(), parts in "[a-z:<>=!|()\" 0-9äM]{0,40}", cursor in 0usize..60) {
        for line in [line, parts] {
            let search = Search::read(&line);
            if let Some(spot) = &search.trouble {
                prop_assert!(line.get(spot.span.clone()).is_some());
            }
            search.run(&catalog(), UserId::OWNER, &Chosen::new(), &mut Matcher::default());
            search.letters("Nebelhorn ü", &mut Matcher::default());
            for completion in Search::complete(&line, cursor) {
                prop_assert!(line.get(completion.at).is_some());
            }
        }
    }

    #[test]
    fn negation_and_grouping_hold_together(a in 0usize..6, b in 0usize..6) {
        let facts = [":off", ":system", ":size>50M", ":idle>90d", ":home", ":label=e"];
        let (a, b) = (facts[a], facts[b]);
        prop_assert_eq!(found(&format!("!({a} | {b})")), found(&format!("!{a} !{b}")));
        prop_assert_eq!(found(&format!("!!{a}")), found(a));
        prop_assert_eq!(found(&format!("{a} {b}")), found(&format!("{b} {a}")));
    }
}
