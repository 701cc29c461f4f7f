//! Copies of what cannot be had from the device again: kept before it goes, and installed when it is put back.

use std::path::PathBuf;

use crate::support::{id, in_memory, patience};
use tokio::sync::watch;
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::ops::{import_copy, survey};
use wibbet_bench::run::{Control, RunNews, RunStart, run_plan};
use wibbet_bench::workplace::Workplace;
use wibbet_core::package::{Inventory, KeptCopy, PackageKind, PackageState};
use wibbet_core::plan::{Change, Plan, TrayItem, plan_install, plan_put_back_with, plan_take_out};
use wibbet_core::run::{Outcome, Run, RunKind, Shelf, StepEvent};
use wibbet_sim::{CutAt, Direction, Fault, SampleApk, Scenario, SimDevice};
use wibbet_types::{PackageId, UserId};

const OWNER: UserId = UserId::OWNER;

struct Place {
    sim: SimDevice,
    workplace: Workplace,
    device: AdbDevice,
    folder: tempfile::TempDir,
}

async fn place(scenario: Scenario) -> Place {
    let folder = tempfile::tempdir().unwrap();
    let (sim, workplace) = in_memory(scenario, 1, folder.path(), patience(3)).await;
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    Place { sim, workplace, device, folder }
}

impl Place {
    async fn inventory(&self) -> Inventory {
        survey(&self.device, &mut |_| {}).await.unwrap()
    }

    async fn run(&self, kind: RunKind, plan: Plan) -> Run {
        let (_stop, stopped) = watch::channel(Control::Go);
        let ended = run_plan(&self.workplace, &self.device, RunStart::New(kind, plan), stopped, &|_| {}).await;
        ended.result.unwrap()
    }

    async fn take_out(&self, ids: &[PackageId]) -> Run {
        let item = |id: &PackageId| TrayItem { id: id.clone(), user: OWNER, way: Change::Uninstall };
        let tray: Vec<TrayItem> = ids.iter().map(item).collect();
        let plan = plan_take_out(&self.inventory().await, &self.device.capabilities(), &tray, false);
        assert_eq!(plan.securing().count(), ids.len(), "{plan:#?}");
        self.run(RunKind::TakeOut, plan).await
    }

    async fn copies(&self) -> Vec<KeptCopy> {
        self.workplace.book.with(|book| book.copies(None)).await.unwrap()
    }

    async fn put_back(&self, ids: &[PackageId]) -> Run {
        let (inventory, copies) = (self.inventory().await, self.copies().await);
        let runs = self.workplace.book.with(|book| book.runs(None)).await.unwrap();
        let shelf = Shelf::with_copies(&inventory, &runs, &copies);
        let wanted: Vec<_> = shelf
            .entries
            .iter()
            .filter(|entry| ids.contains(&entry.id))
            .map(|entry| (entry.id.clone(), entry.user, entry.target))
            .collect();
        assert_eq!(wanted.len(), ids.len(), "{:#?}", shelf.entries);
        let plan = plan_put_back_with(&inventory, &self.device.capabilities(), &wanted, &copies);
        self.run(RunKind::PutBack, plan).await
    }

    fn files(&self, copy: &KeptCopy) -> Vec<(PathBuf, Vec<u8>)> {
        let folder = self.folder.path().join("copies").join(&copy.folder);
        let path = |name: &str| folder.join(name);
        copy.files.iter().map(|file| (path(&file.name), std::fs::read(path(&file.name)).unwrap())).collect()
    }
}

/// What only the owner has of what was installed by somebody, the smallest first.
fn own(inventory: &Inventory) -> Vec<PackageId> {
    let only_owner = |package: &&std::sync::Arc<wibbet_core::package::Package>| {
        let has: Vec<&UserId> = package.states.iter().filter(|(_, s)| s.installed).map(|(user, _)| user).collect();
        package.kind == PackageKind::User && has == [&OWNER]
    };
    let mut found: Vec<PackageId> =
        inventory.packages.values().filter(only_owner).map(|package| package.id.clone()).collect();
    found.sort_by_key(|id| id.as_str().len());
    found
}

fn outcomes(run: &Run) -> Vec<Outcome> {
    run.steps.iter().filter_map(|step| step.outcome).collect()
}

/// The image of an APK as the scenario has it.
fn image(scenario: &Scenario, of: &PackageId) -> Vec<u8> {
    let apk = SampleApk::all_of(scenario).find(|apk| apk.id == of.as_str()).unwrap();
    apk.read(0, usize::MAX)
}

/// An app that somebody installed is taken out, whatever becomes of the link meanwhile, and comes back: its copy is byte for byte
/// what was there, and what is installed is too.
#[tokio::test(start_paused = true)]
async fn somebodys_own_app_comes_back_from_its_copy() {
    let scenario = Scenario::crew_phone();
    let place = place(scenario.clone()).await;
    let before = place.inventory().await;
    let ids: Vec<PackageId> = own(&before).into_iter().take(2).collect();
    assert_eq!(ids.len(), 2);
    // The line is cut in the middle of the first file.
    let size = image(&scenario, &ids[0]).len() as u64;
    assert!(size > 20_000, "{size}");
    let packets = place.sim.packets(Direction::FromDevice);
    assert!(packets > 0);
    place.sim.set_fault(Fault::Cut(CutAt::Bytes(Direction::FromDevice, 200_000 + size / 2)));
    let run = place.take_out(&ids).await;
    assert_eq!(outcomes(&run), [Outcome::Done; 2], "{:#?}", run.steps);
    let copies = place.copies().await;
    assert_eq!(copies.len(), 2);
    for copy in &copies {
        let files = place.files(copy);
        assert_eq!(files[0].1, image(&scenario, &copy.id), "{}", copy.id);
        assert_eq!(copy.version_code, before.packages[&copy.id].about.version_code);
        assert!(run.steps.iter().any(|step| step.copy == Some(copy.number)));
        assert_eq!(place.sim.holds(copy.id.as_str(), 0), None, "it is gone altogether");
    }
    let back = place.put_back(&ids).await;
    assert_eq!(outcomes(&back), [Outcome::Done; 2], "{:#?}", back.steps);
    let after = place.inventory().await;
    for id in &ids {
        let (was, is) = (&before.packages[id], &after.packages[id]);
        assert_eq!(is.state(OWNER), was.state(OWNER));
        assert_eq!(
            (&is.version, is.about.version_code, &is.about.splits),
            (&was.version, was.about.version_code, &was.about.splits)
        );
        // For nobody else.
        assert_eq!(is.states.values().filter(|state| state.installed).count(), 1);
    }
    // The next time the copies that are there are not made again where the files are the same; they lie elsewhere now.
    let again = place.take_out(&ids).await;
    assert_eq!(outcomes(&again), [Outcome::Done; 2]);
    assert_eq!(place.copies().await.len(), 4);
}

/// What cannot be copied, or what has changed since it was, does no harm: it is said, and nothing is sent.
#[tokio::test(start_paused = true)]
async fn without_a_copy_nothing_goes_and_a_damaged_one_is_not_installed() {
    let place = place(Scenario::crew_phone()).await;
    let id = own(&place.inventory().await).remove(0);
    // The device tells no path.
    place.sim.set_fault(Fault::Says(format!("package path --user 0 {id}"), String::new()));
    let run = place.take_out(std::slice::from_ref(&id)).await;
    assert_eq!(outcomes(&run), [Outcome::Skipped]);
    assert!(run.steps[0].remark.contains("no copy could be kept"), "{}", run.steps[0].remark);
    assert_eq!(place.sim.holds(id.as_str(), 0), Some((true, 0)));
    place.sim.forget_says();

    let run = place.take_out(std::slice::from_ref(&id)).await;
    assert_eq!(outcomes(&run), [Outcome::Done]);
    let copy = place.copies().await.remove(0);
    let (path, mut bytes) = place.files(&copy).remove(0);
    let good = bytes.clone();
    bytes[100] ^= 1;
    std::fs::write(&path, &bytes).unwrap();
    let back = place.put_back(std::slice::from_ref(&id)).await;
    assert_eq!(outcomes(&back), [Outcome::Skipped]);
    assert!(back.steps[0].remark.contains("its SHA-256 is another one"), "{}", back.steps[0].remark);
    std::fs::write(&path, &good).unwrap();
    // There is no room on the device.
    place.sim.set_fault(Fault::Full);
    let back = place.put_back(std::slice::from_ref(&id)).await;
    assert_eq!(outcomes(&back), [Outcome::Refused]);
    assert!(back.steps[0].remark.contains("there is no room for it"), "{}", back.steps[0].remark);
}

/// Whoever gives up in the middle of a copy finds what is there again: the file goes on where it was.
#[tokio::test(start_paused = true)]
async fn a_copy_that_was_stopped_goes_on_where_it_was() {
    let scenario = Scenario::crew_phone();
    let place = place(scenario.clone()).await;
    let inventory = place.inventory().await;
    let large = own(&inventory).into_iter().max_by_key(|id| image(&scenario, id).len()).unwrap();
    let size = image(&scenario, &large).len() as u64;
    assert!(size > 2 << 20, "{size}");
    place.sim.set_fault("line=5:1:0".parse().unwrap());
    let tray = [TrayItem { id: large.clone(), user: OWNER, way: Change::Uninstall }];
    let plan = plan_take_out(&inventory, &place.device.capabilities(), &tray, false);
    let (stop, stopped) = watch::channel(Control::Go);
    let news = |news| {
        if let RunNews::Securing(_, bytes, of) = news
            && bytes > of / 3
        {
            stop.send_replace(Control::Stop);
        }
    };
    let start = RunStart::New(RunKind::TakeOut, plan);
    let ended = run_plan(&place.workplace, &place.device, start, stopped, &news).await;
    let run = ended.result.unwrap();
    assert_eq!((run.steps[0].outcome, run.steps[0].copy), (None, None));
    assert_eq!(place.sim.holds(large.as_str(), 0), Some((true, 0)));
    let asked = place.sim.transcript().len();
    let (_stop, stopped) = watch::channel(Control::Go);
    let first = std::sync::Mutex::new(None);
    let news = |news| match news {
        RunNews::Securing(_, bytes, _) => {
            first.lock().unwrap().get_or_insert(bytes);
        }
        RunNews::Step(_, StepEvent::Secured { .. }) => place.sim.set_fault("line=0:0:0".parse().unwrap()),
        _ => {}
    };
    let ended = run_plan(&place.workplace, &place.device, RunStart::Resume(run.number), stopped, &news).await;
    assert_eq!(outcomes(&ended.result.unwrap()), [Outcome::Done]);
    assert!(first.into_inner().unwrap().unwrap() > size / 3, "it did not begin anew");
    let fetched = place.sim.transcript().into_iter().skip(asked).filter(|line| line.contains("tail -c +"));
    assert_eq!(fetched.count(), 1);
    let copy = place.copies().await.remove(0);
    assert_eq!(place.files(&copy)[0].1, image(&scenario, &large));
}

/// From Android 14 on an update goes with its last user: it comes back in the version that it had.
#[tokio::test(start_paused = true)]
async fn an_update_comes_back_in_its_version() {
    let place = place(Scenario::crew_phone()).await;
    let before = place.inventory().await;
    let updated = before.packages.values().find(|package| {
        let has: Vec<&UserId> = package.states.iter().filter(|(_, s)| s.installed).map(|(user, _)| user).collect();
        package.kind == PackageKind::UpdatedSystem && has == [&OWNER] && package.state(OWNER) == PackageState::IN_USE
    });
    let updated = match updated {
        Some(package) => package.id.clone(),
        // Everybody has it: the others lose it first.
        None => {
            let package =
                before.packages.values().find(|p| p.kind == PackageKind::UpdatedSystem && p.state(OWNER).installed);
            let package = package.unwrap();
            package.states.keys().filter(|user| **user != OWNER).for_each(|user| {
                place.sim.set_state(package.id.as_str(), user.number(), false, 0);
            });
            package.id.clone()
        }
    };
    let was = place.inventory().await.packages[&updated].clone();
    let run = place.take_out(std::slice::from_ref(&updated)).await;
    assert_eq!(outcomes(&run), [Outcome::Done]);
    let between = place.inventory().await.packages[&updated].clone();
    assert_eq!(between.kind, PackageKind::System, "the factory version is what is left");
    place.put_back(std::slice::from_ref(&id(updated.as_str()))).await;
    let is = place.inventory().await.packages[&updated].clone();
    assert_eq!((is.kind, is.state(OWNER), is.about.version_code), (was.kind, was.state(OWNER), was.about.version_code));
}

/// A replacement is there before what it replaces goes; where it is refused nothing goes, and the run can be carried on.
#[tokio::test(start_paused = true)]
async fn a_replacement_comes_first_or_nothing_goes() {
    let scenario = Scenario::crew_phone();
    let place = place(scenario.clone()).await;
    let app = own(&place.inventory().await).remove(0);
    assert_eq!(outcomes(&place.take_out(std::slice::from_ref(&app)).await), [Outcome::Done]);
    // Its files, as somebody has them on this computer: in an archive, with something beside them.
    let kept = place.copies().await.remove(0);
    let archive = place.folder.path().join("app.zip");
    let mut zip = zip::ZipWriter::new(std::fs::File::create(&archive).unwrap());
    for (path, bytes) in place.files(&kept).into_iter().rev() {
        let name = path.file_name().unwrap().to_str().unwrap().to_owned();
        zip.start_file(format!("parts/{name}"), zip::write::SimpleFileOptions::default()).unwrap();
        std::io::Write::write_all(&mut zip, &bytes).unwrap();
    }
    zip.start_file("readme.txt", zip::write::SimpleFileOptions::default()).unwrap();
    zip.finish().unwrap();
    let device = place.device.facts().unwrap().id;
    let copy = import_copy(&place.workplace.book, &device, &[archive]).await.unwrap().copy;
    assert_eq!((&copy.id, copy.version_code, copy.files[0].name.as_str()), (&app, kept.version_code, "base.apk"));
    assert_eq!(
        copy.files.iter().map(|f| &f.sha256).collect::<std::collections::BTreeSet<_>>(),
        kept.files.iter().map(|f| &f.sha256).collect()
    );

    let music = [TrayItem { id: id("com.android.music"), user: OWNER, way: Change::Uninstall }];
    let inventory = place.inventory().await;
    let mut plan = plan_take_out(&inventory, &place.device.capabilities(), &music, false);
    plan.steps.push(plan_install(&inventory, &copy, OWNER));
    place.sim.set_fault(Fault::Full);
    let (_stop, stopped) = watch::channel(Control::Go);
    let start = RunStart::New(RunKind::TakeOut, plan.clone());
    let ended = run_plan(&place.workplace, &place.device, start, stopped, &|_| {}).await;
    let error = ended.result.unwrap_err().to_string();
    assert!(error.contains("was not installed, so nothing was taken out") && error.contains("no room"), "{error}");
    assert_eq!(place.sim.holds("com.android.music", 0), Some((true, 0)));
    // There is room again: whoever carries on has the replacement tried again, and then the rest.
    place.sim.make_room();
    let runs = place.workplace.book.with(|book| book.runs(None)).await.unwrap();
    let (_stop, stopped) = watch::channel(Control::Go);
    let ended = run_plan(&place.workplace, &place.device, RunStart::Resume(runs[0].number), stopped, &|_| {}).await;
    assert_eq!(outcomes(&ended.result.unwrap()), [Outcome::Done; 2]);
    assert_eq!(place.sim.holds("com.android.music", 0), Some((false, 0)));

    // On another device a new run has the replacement first, wherever it stands in the plan.
    let place = {
        let again = self::place(scenario).await;
        let device = again.device.facts().unwrap().id;
        let folder = place.folder.path().join("copies").join(&copy.folder);
        let copy = import_copy(&again.workplace.book, &device, &[folder]).await.unwrap().copy;
        let mut newer = plan;
        newer.steps[1].copy = Some(copy);
        let run = again.run(RunKind::TakeOut, newer).await;
        assert_eq!(outcomes(&run), [Outcome::Done; 2], "{:#?}", run.steps);
        let order: Vec<i64> = run.steps.iter().map(|step| step.order).collect();
        assert!(order[1] < order[0], "{order:?}");
        again
    };
    // It was not taken out, so it is not on the shelf.
    let runs = place.workplace.book.with(|book| book.runs(None)).await.unwrap();
    let shelf = Shelf::with_copies(&place.inventory().await, &runs, &place.copies().await);
    assert!(shelf.entries.iter().any(|entry| entry.id.as_str() == "com.android.music"));
    assert!(shelf.entries.iter().all(|entry| entry.id != app));
}

/// A copy that an earlier go has made counts only as long as it is whole: else it is made anew before anything goes.
#[tokio::test(start_paused = true)]
async fn a_copy_that_was_damaged_meanwhile_is_made_anew() {
    let scenario = Scenario::crew_phone();
    let place = place(scenario.clone()).await;
    let inventory = place.inventory().await;
    let app = own(&inventory).remove(0);
    let tray = [TrayItem { id: app.clone(), user: OWNER, way: Change::Uninstall }];
    let plan = plan_take_out(&inventory, &place.device.capabilities(), &tray, false);
    let (stop, stopped) = watch::channel(Control::Go);
    let news = |news| {
        if let RunNews::Step(_, StepEvent::Secured { .. }) = news {
            stop.send_replace(Control::Stop);
        }
    };
    let ended = run_plan(&place.workplace, &place.device, RunStart::New(RunKind::TakeOut, plan), stopped, &news).await;
    let run = ended.result.unwrap();
    let first = run.steps[0].copy.unwrap();
    assert_eq!(run.steps[0].outcome, None);
    let copy = place.copies().await.remove(0);
    let (path, mut bytes) = place.files(&copy).remove(0);
    bytes[100] ^= 1;
    std::fs::write(&path, &bytes).unwrap();
    let (_stop, stopped) = watch::channel(Control::Go);
    let ended = run_plan(&place.workplace, &place.device, RunStart::Resume(run.number), stopped, &|_| {}).await;
    let run = ended.result.unwrap();
    assert_eq!(outcomes(&run), [Outcome::Done]);
    assert_ne!(run.steps[0].copy, Some(first));
    let copy = place.copies().await.remove(0);
    assert_eq!((Some(copy.number), &place.files(&copy)[0].1), (run.steps[0].copy, &image(&scenario, &app)));
}
