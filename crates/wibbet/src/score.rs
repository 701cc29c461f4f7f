//! `wibbet score`: what holds foretell, held against what breaks on simulated devices. Every package is taken out by itself, and
//! trays of several; what breaks then the devices know from a file of their own, which nothing that works holds out reads.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use anyhow::Context as _;
use serde::Serialize;
use wibbet_bench::around::Surroundings;
use wibbet_bench::ops::{details, device_languages, read_catalog, read_metrics, survey};
use wibbet_core::catalog::Catalog;
use wibbet_core::holds::{HoldKind, Judged, Judgement, Verdict};
use wibbet_core::plan::{Change, StartOutlook, upshot};
use wibbet_sim::{Allow, BreakKind, Broken, Options, ReachedBy, Scenario, SimDevice, SimNetwork};
use wibbet_types::{PackageId, UserId};

use crate::config::Config;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, tell};
use crate::place::Folders;
use crate::sim::{named_scenarios, read_scenarios};
use crate::system::passing_folder;

/// Arguments of `wibbet score`.
#[derive(Debug, clap::Args)]
pub(crate) struct ScoreArguments {
    /// A device of the demo workshop; all of them when neither this nor a file is named.
    #[arg(long, value_name = "NAME")]
    device: Vec<String>,
    /// A device from a scenario file; docs/scenarios.md says how one is written.
    #[arg(long, value_name = "FILE")]
    scenario: Vec<PathBuf>,
    /// Trays of 2 to 40 packages that are tried on each device.
    #[arg(long, value_name = "COUNT", default_value_t = 63)]
    trays: usize,
    /// From where the trays come.
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// One JSON object on standard output.
    #[arg(long)]
    json: bool,
}

/// How much of what was foretold broke, and how much of what broke was foretold.
#[derive(Debug, Default, Serialize)]
struct Score {
    /// Packages with a hold of the kind.
    foretold: usize,
    /// Of those, ones without which something broke.
    right: usize,
    /// Packages without which something of the kind broke, but for those whose manifest could not be read.
    broke: usize,
    /// Of those, ones that were foretold.
    found: usize,
    precision: f64,
    recall: f64,
    misses: Vec<String>,
}

impl Score {
    fn worked_out(mut self) -> Self {
        let share = |part: usize, of: usize| if of == 0 { 1.0 } else { part as f64 / of as f64 };
        (self.precision, self.recall) = (share(self.right, self.foretold), share(self.found, self.broke));
        self
    }
}

/// A device, by what it has.
#[derive(Debug, Serialize)]
struct Scored {
    device: String,
    in_use: usize,
    start: usize,
    role: usize,
    need: usize,
    habit: usize,
    free: usize,
    /// With a start or a role hold.
    weighty: usize,
}

#[derive(Debug, Default, Serialize)]
struct Trays {
    tried: usize,
    /// With which a start fails that was said to be expected.
    starts_missed: usize,
    /// Roles that broke, and those of them of whose tray it was said that something stops.
    roles_broke: usize,
    roles_foretold: usize,
}

#[derive(Debug, Serialize)]
struct Report {
    devices: Vec<Scored>,
    kinds: BTreeMap<&'static str, Score>,
    trays: Trays,
    /// Packages without which a start fails, and that were called free.
    free_and_needed: Vec<String>,
}

/// A device with all that it has told.
struct Told {
    name: String,
    sim: SimDevice,
    catalog: Catalog,
    judged: Judged,
}

impl Told {
    async fn read(name: String, mut scenario: Scenario, folder: &Path) -> anyhow::Result<Self> {
        // Without pairing first.
        scenario.reached_by = ReachedBy::Address;
        let network = SimNetwork::default();
        let options = Options {
            allow: Allow::After(Duration::ZERO),
            network: Some(network.clone()),
            in_memory: true,
            ..Options::default()
        };
        let sim = SimDevice::start(scenario, options).await?;
        tokio::task::spawn_blocking(sim.files_to_make()).await?;
        let folder = folder.to_owned();
        let mut workplace = tokio::task::spawn_blocking(move || {
            let config = Config::default();
            Folders::apart(&folder).open(&config, config.answer_within(), config.allow_within())
        })
        .await??;
        workplace.surroundings = Arc::new(Surroundings::default().with_network(Arc::new(network)));
        let device = workplace.device(sim.address());
        device.connect(&mut |_| {}).await?;
        let mut inventory = survey(&device, &mut |_| {}).await?;
        if let Some(told) = details(&device).await {
            inventory.merge_users(&told.users);
        }
        let languages = device_languages(&device, UserId::OWNER).await?;
        let metrics = read_metrics(&device, &inventory, &mut |_| {}).await?;
        let owner = [UserId::OWNER];
        let (catalog, trouble) =
            read_catalog(&device, &workplace.book, inventory, metrics, &languages, &owner, &mut |_| {}).await?;
        if let Some(error) = trouble {
            tell(format_args!("{name}: manifests could not be read: {error}"));
        }
        let judged = catalog.judged.get(&UserId::OWNER).cloned();
        Ok(Self { name, sim, catalog, judged: judged.context("what ties the packages was not worked out")? })
    }

    /// What breaks for the first user when some packages go; all of them come back.
    fn broken_without(&self, ids: &[&PackageId]) -> Vec<Broken> {
        let held = ids.iter().filter_map(|id| Some((*id, self.sim.holds(id.as_str(), 0)?)));
        let held: Vec<_> = held.collect();
        held.iter().for_each(|(id, _)| self.sim.set_state(id.as_str(), 0, false, 0));
        let broken = self.sim.broken();
        held.iter().for_each(|(id, (installed, enabled))| self.sim.set_state(id.as_str(), 0, *installed, *enabled));
        broken.into_iter().filter(|broken| broken.user == 0).collect()
    }

    /// Takes every package out by itself.
    fn try_each(&self, report: &mut Report) {
        let judged = &self.judged;
        let with = |kind| judged.packages.values().filter(|one| one.has(kind)).count();
        let weighty = |one: &&Judgement| one.has(HoldKind::Start) || one.has(HoldKind::Role);
        report.devices.push(Scored {
            device: self.name.clone(),
            in_use: judged.packages.len(),
            start: with(HoldKind::Start),
            role: with(HoldKind::Role),
            need: with(HoldKind::Need),
            habit: with(HoldKind::Habit),
            free: judged.packages.values().filter(|one| one.verdict() == Verdict::Free).count(),
            weighty: judged.packages.values().filter(weighty).count(),
        });
        for (id, one) in &judged.packages {
            let broken = self.broken_without(&[id]);
            for (kind, hold) in [
                (BreakKind::Start, HoldKind::Start),
                (BreakKind::Role, HoldKind::Role),
                (BreakKind::Need, HoldKind::Need),
            ] {
                self.compare(id, one, (kind, hold), &broken, report.kinds.entry(hold.name()).or_default());
            }
            if broken.iter().any(|broken| broken.kind == BreakKind::Start) && one.verdict() == Verdict::Free {
                report.free_and_needed.push(format!("{}: {id}", self.name));
            }
        }
    }

    /// One package, and one kind of hold.
    fn compare(
        &self,
        id: &PackageId,
        one: &Judgement,
        (kind, hold): (BreakKind, HoldKind),
        broken: &[Broken],
        score: &mut Score,
    ) {
        let broke = broken.iter().find(|broken| broken.kind == kind);
        // Nobody asks whether people miss who manages them, or their accounts.
        let foretold =
            one.holds.iter().any(|one| one.kind == hold && !matches!(&*one.what, "accounts" | "device admin"));
        // What is tied by a start counts as foretold of those who lean on it, too.
        let covered = kind != BreakKind::Start && one.has(HoldKind::Start);
        let unread = one.verdict() == Verdict::Unread || !one.unread.is_empty();
        // Who leans on what people need is hit by that; and what was chosen goes to another one, or nobody: that is seen as well.
        let hit = kind == BreakKind::Need && !broken.is_empty();
        let chosen = kind == BreakKind::Role && !self.sim.chosen(id.as_str(), 0).is_empty();
        let right = broke.is_some() || hit || chosen;
        score.foretold += usize::from(foretold);
        score.right += usize::from(foretold && right);
        score.broke += usize::from(broke.is_some() && !unread);
        score.found += usize::from(broke.is_some() && !unread && (foretold || covered));
        if let Some(broke) = broke.filter(|_| !foretold && !covered && !unread) {
            score.misses.push(format!("{}: {id} breaks a {hold}: {}", self.name, broke.what));
        }
        if foretold && !right {
            score.misses.push(format!("{}: {id} was said to be held by a {hold}: {}", self.name, one.stops()));
        }
    }

    /// Takes several out together.
    fn try_trays(&self, count: usize, random: &mut fastrand::Rng, trays: &mut Trays) {
        let (known, judged) = (self.catalog.known(UserId::OWNER), &self.judged);
        let all: Vec<&PackageId> = judged.packages.keys().collect();
        for _ in 0..count {
            let tray: BTreeSet<&PackageId> =
                (0..random.usize(2..=40)).filter_map(|_| random.choice(&all).copied()).collect();
            let tray: Vec<&PackageId> = tray.into_iter().collect();
            let items: Vec<(PackageId, Change)> = tray.iter().map(|id| ((*id).clone(), Change::Uninstall)).collect();
            let found = upshot(&known, judged, &items);
            let broken = self.broken_without(&tray);
            trays.tried += 1;
            let start = broken.iter().filter(|one| one.kind == BreakKind::Start).filter_map(|one| one.class).min();
            let said = match start {
                Some(1 | 2) => matches!(found.start, StartOutlook::NotExpected | StartOutlook::NotKnown),
                Some(_) => found.start != StartOutlook::Expected,
                None => true,
            };
            trays.starts_missed += usize::from(!said);
            for one in broken.iter().filter(|broken| broken.kind == BreakKind::Role) {
                let silent = |id: &String| judged.packages.get(id.as_str()).is_some_and(|one| !one.unread.is_empty());
                if !one.mended_by.iter().any(silent) {
                    trays.roles_broke += 1;
                    trays.roles_foretold += usize::from(!found.lost.is_empty());
                }
            }
        }
    }
}

/// Scores the devices that were named, or all of the demo workshop.
pub(crate) async fn run(arguments: ScoreArguments) -> Result<Exit, Failure> {
    let mut wanted = named_scenarios(&arguments.device)?;
    for (file, scenario) in arguments.scenario.iter().zip(read_scenarios(&arguments.scenario)?) {
        wanted.push((file.display().to_string(), scenario));
    }
    if wanted.is_empty() {
        wanted = Scenario::all().into_iter().map(|(name, scenario)| (name.to_owned(), scenario)).collect();
    }
    let mut random = fastrand::Rng::with_seed(arguments.seed);
    let mut report =
        Report { devices: vec![], kinds: BTreeMap::new(), trays: Trays::default(), free_and_needed: vec![] };
    for (name, scenario) in wanted {
        let folder = passing_folder("wibbet-score-", &Folders::find().map_err(Failure::trouble)?.data)
            .map_err(Failure::trouble)?;
        let told = Told::read(name, scenario, folder.path()).await.map_err(Failure::trouble)?;
        told.try_each(&mut report);
        told.try_trays(arguments.trays, &mut random, &mut report.trays);
    }
    report.kinds = report.kinds.into_iter().map(|(kind, score)| (kind, score.worked_out())).collect();
    match arguments.json {
        true => json::print(&report),
        false => print(&report),
    }
    Ok(Exit::Done)
}

fn print(report: &Report) {
    for one in &report.devices {
        line(format_args!(
            "{}: {} packages in use; with holds: start {}, role {}, need {}, habit {}; free: {}",
            one.device, one.in_use, one.start, one.role, one.need, one.habit, one.free
        ));
    }
    for (kind, score) in &report.kinds {
        line(format_args!(
            "{kind}: {} foretold, {} of them right (precision {:.3}); {} broke, {} of them foretold (recall {:.3})",
            score.foretold, score.right, score.precision, score.broke, score.found, score.recall
        ));
        score.misses.iter().for_each(|miss| line(format_args!("  {miss}")));
    }
    let trays = &report.trays;
    line(format_args!(
        "{} trays: {} starts that fail were not foretold; {} of {} roles that broke were",
        trays.tried, trays.starts_missed, trays.roles_foretold, trays.roles_broke
    ));
    for id in &report.free_and_needed {
        line(format_args!("called free, and the start needs it: {id}"));
    }
}
