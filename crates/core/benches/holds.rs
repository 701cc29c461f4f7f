//! How long it takes to work out what ties the packages of a device with 450 of them, and what a tray of forty does.
//! `cargo bench -p wibbet-core --bench holds`.
#![allow(clippy::unwrap_used, missing_docs, reason = "a benchmark")]

use std::collections::BTreeMap;
use std::hint::black_box;
use std::sync::Arc;

use criterion::{Criterion, criterion_group, criterion_main};
use wibbet_core::device::{DeviceKind, UserKind};
use wibbet_core::holds::{Known, judge};
use wibbet_core::package::{AppFacts, AppNames, Declared, DeclaredPart, Metrics, Package, PackageKind, PartKind, Ties};
use wibbet_core::plan::{Change, upshot};
use wibbet_core::testing::{IN_USE, id, inventory, package, user};
use wibbet_types::{PackageId, UserId};

const COUNT: usize = 450;

/// Each with twenty parts of two names, of which it asks five others for one.
fn names() -> AppNames {
    let app = |n: usize| {
        let part = |part: usize| DeclaredPart {
            kind: [PartKind::Activity, PartKind::Service, PartKind::Provider][part % 3],
            class: format!("com.maker.part{n}.Class{part}"),
            names: vec![format!("com.maker.part{n}.action.DO{part}"), format!("android.intent.action.COMMON{part}")],
            categories: vec!["android.intent.category.DEFAULT".into()],
            priority: 0,
            direct_boot: false,
            exported: true,
            in_system: false,
            guard: None,
        };
        let asks = (1..6).map(|step| format!("com.maker.part{}.action.DO{step}", (n * 7 + step * 31) % COUNT));
        let declared = Declared {
            read: true,
            has_code: true,
            parts: (0..20).map(part).collect(),
            asks_actions: asks.collect(),
            ..Declared::default()
        };
        (id(&format!("com.maker.part{n}")), AppFacts { declared: Arc::new(declared), ..AppFacts::default() })
    };
    AppNames { apps: (0..COUNT).map(app).collect::<BTreeMap<_, _>>(), ..AppNames::default() }
}

fn holds(criterion: &mut Criterion) {
    let packages = (0..COUNT).map(|n| {
        let bare = package(&format!("com.maker.part{n}"), PackageKind::System, "/system/app/x", &[(0, IN_USE)]);
        Package { apk: "/system/app/x/x.apk".parse().ok(), ..bare }
    });
    let inventory = inventory(&[user(0, "Crew", UserKind::Owner)], packages);
    let (names, metrics, ties, elsewhere) = (names(), Metrics::default(), Ties::default(), BTreeMap::new());
    let known = Known {
        inventory: &inventory,
        names: &names,
        metrics: &metrics,
        ties: &ties,
        elsewhere: &elsewhere,
        sdk: 34,
        kind: DeviceKind::Phone,
        user: UserId::OWNER,
    };
    criterion.bench_function("what ties 450 packages", |b| b.iter(|| judge(black_box(&known))));
    let judged = judge(&known);
    let tray: Vec<(PackageId, Change)> =
        (0..40).map(|n| (id(&format!("com.maker.part{}", n * 11)), Change::Uninstall)).collect();
    criterion.bench_function("what a tray of forty does", |b| {
        b.iter(|| upshot(black_box(&known), &judged, black_box(&tray)));
    });
}

criterion_group!(benches, holds);
criterion_main!(benches);
