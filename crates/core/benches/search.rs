//! How long it takes from a key in the search line to the new list, with 2,000 packages.
#![allow(clippy::unwrap_used, missing_docs, reason = "a benchmark")]

use std::collections::BTreeMap;
use std::hint::black_box;
use std::sync::Arc;

use criterion::{Criterion, criterion_group, criterion_main};
use wibbet_core::catalog::{Catalog, Chosen};
use wibbet_core::package::{AppFacts, AppNames, Metrics, Package, PackageKind, PackageState, Sizes, Source, Usage};
use wibbet_core::search::{Matcher, Search};
use wibbet_core::testing;
use wibbet_types::{DeviceTime, PackageId, PlainText, UserId};

fn catalog() -> Catalog {
    let makers = ["com.corvane", "com.ostrel", "com.android", "net.skerry", "tv.tarnbek"];
    let things = ["weather", "radio", "notes", "calendar", "gallery", "telemetry", "keyboard", "wallpapers"];
    let labels = ["Wetter", "Nebelhorn", "メモ", "Календар", "Album", "Nutzungsdaten", "لوحة المفاتيح", "壁紙"];
    let mut packages = Vec::new();
    let mut names = AppNames::default();
    let mut metrics = Metrics { now: Some(DeviceTime(30_000_000)), ..Metrics::default() };
    metrics.asked.extend(Source::ALL);
    for n in 0..2000usize {
        let id: PackageId = format!("{}.{}.part{n}", makers[n % 5], things[n % 8]).parse().unwrap();
        let states = BTreeMap::from([(UserId::OWNER, PackageState::IN_USE)]);
        packages.push(Package::bare(id.clone(), PackageKind::System, states));
        let label = Some(PlainText::new(&format!("{} {n}", labels[n % 8])));
        names.apps.insert(id.clone(), AppFacts { label, ..AppFacts::default() });
        metrics.sizes.insert(id.clone(), Sizes { code: Some(n as u64 * 100_000), data: Some(0), cache: Some(0) });
        let used = Usage { last: Some(DeviceTime(n as i64 * 10_000)), seconds: 60, ..Usage::default() };
        metrics.usage.entry(UserId::OWNER).or_default().insert(id, used);
    }
    Catalog {
        names: Arc::new(names),
        metrics: Arc::new(metrics),
        ..Catalog::new(Arc::new(testing::inventory(&[], packages)))
    }
}

fn search(criterion: &mut Criterion) {
    let catalog = catalog();
    let mut finder = Matcher::default();
    for line in
        ["w", "weather", "nbelhrn", "wether corv", ":idle>90d :size>50M", "(meteo | nebel) !:off :size>1M", "xqzzy"]
    {
        criterion.bench_function(line, |bencher| {
            bencher.iter(|| {
                let search = Search::read(black_box(line));
                search.run(&catalog, UserId::OWNER, &Chosen::new(), &mut finder)
            });
        });
    }
}

criterion_group!(benches, search);
criterion_main!(benches);
