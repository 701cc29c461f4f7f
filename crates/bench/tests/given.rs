//! What people have given an app goes with it and comes back with it: permissions, roles, keyboards, listeners, overlays.

use crate::support::{device, id, patience, workplace};
use tokio::sync::watch;
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::logbook::now;
use wibbet_bench::ops::survey;
use wibbet_bench::run::{Control, Runner, begin_run};
use wibbet_bench::workplace::Workplace;
use wibbet_core::package::Returned;
use wibbet_core::plan::{Change, Plan, TrayItem, plan_put_back, plan_take_out};
use wibbet_core::run::{Outcome, Run, RunKind, RunState, StepEvent, recorded_gifts, recorded_state};
use wibbet_sim::{Fault, Scenario, SimDevice};
use wibbet_types::{PackageId, RunId, UserId};

const OWNER: UserId = UserId::OWNER;
const SMS: &str = "com.android.messaging";
const KEYS: &str = "com.corvane.keyboard";

struct Place {
    sim: SimDevice,
    workplace: Workplace,
    device: AdbDevice,
    _folder: tempfile::TempDir,
}

impl Place {
    async fn new(scenario: Scenario) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let workplace = workplace(folder.path(), patience(1));
        let sim = device(scenario, 1).await;
        let device = workplace.device(sim.address());
        device.connect(&mut |_| {}).await.unwrap();
        Self { sim, workplace, device, _folder: folder }
    }

    async fn begin(&self, kind: RunKind, plan: &Plan) -> RunId {
        let of = self.device.facts().unwrap().id;
        begin_run(&self.workplace, &of, kind, plan, &self.device.capabilities()).await.unwrap()
    }

    async fn carry_on(&self, number: RunId) -> Run {
        let (_stop, stopped) = watch::channel(Control::Go);
        Runner::carry_out(&self.device, &self.workplace.book, patience(1), number, stopped, &|_| {}).await.unwrap()
    }

    async fn take_out(&self, items: &[(&str, Change)]) -> Run {
        let inventory = survey(&self.device, &mut |_| {}).await.unwrap();
        let tray: Vec<_> = items.iter().map(|(text, way)| TrayItem { id: id(text), user: OWNER, way: *way }).collect();
        let plan = plan_take_out(&inventory, &self.device.capabilities(), &tray, false);
        self.carry_on(self.begin(RunKind::TakeOut, &plan).await).await
    }

    async fn back_plan(&self, ids: &[&str]) -> Plan {
        let inventory = survey(&self.device, &mut |_| {}).await.unwrap();
        let of = self.device.facts().unwrap().id;
        let runs = self.workplace.book.with(move |book| book.runs(Some(&of))).await.unwrap();
        let target = |i: &PackageId| recorded_state(&runs, i, OWNER);
        let wanted: Vec<_> = ids.iter().map(|text| (id(text), OWNER, target(&id(text)))).collect();
        let plan = plan_put_back(&inventory, &self.device.capabilities(), &wanted);
        plan.giving_back(|id, user| recorded_gifts(&runs, id, user))
    }

    fn chosen(&self, text: &str) -> Vec<String> {
        self.sim.chosen(text, 0)
    }
}

fn not_back(run: &Run) -> Vec<Returned> {
    run.steps.iter().flat_map(|s| s.returned.iter().flatten()).filter(|one| !one.done).cloned().collect()
}

#[tokio::test]
async fn what_was_given_comes_back_with_the_app() {
    for sdk in [34, 31, 29, 28] {
        let mut scenario = Scenario::crew_phone();
        scenario.android.sdk = sdk;
        let place = Place::new(scenario).await;
        let apps = [SMS, KEYS, "com.corvane.share", "com.corvane.overlay.dark", "com.corvane.browser"];
        let before = apps.map(|app| place.chosen(app));
        assert!(before.iter().all(|chosen| !chosen.is_empty()) || sdk == 28, "{before:?}");
        assert!(before[2].contains(&"battery".to_owned()), "{before:?}");
        let items = apps.map(|app| (app, if app == KEYS { Change::Disable } else { Change::Uninstall }));
        let run = place.take_out(&items).await;
        assert_eq!(run.count(Outcome::Done), apps.len(), "{run:#?}");
        assert!(apps.iter().filter(|app| **app != KEYS).all(|app| place.chosen(app).is_empty()));
        assert!(!place.chosen(KEYS).contains(&"default_input_method".to_owned()));
        let plan = place.back_plan(&apps).await;
        let capabilities = place.device.capabilities();
        let words: Vec<String> = plan.steps.iter().flat_map(|step| step.gives_back(&capabilities).0).collect();
        assert_eq!(words.iter().any(|w| w.starts_with("cmd role add-role-holder --user 0 ")), sdk >= 29, "{words:?}");
        assert!(words.iter().any(|w| w.contains(&format!("grant --user 0 {SMS} "))), "{words:?}");
        let run = place.carry_on(place.begin(RunKind::PutBack, &plan).await).await;
        assert_eq!((run.count(Outcome::Done), not_back(&run)), (apps.len(), Vec::new()), "{sdk}: {run:#?}");
        let after = apps.map(|app| place.chosen(app));
        // Before Android 10 only what was read is given back, and that is all but roles.
        let roles = |chosen: [Vec<String>; 5]| {
            chosen.map(|all| all.into_iter().filter(|c| sdk >= 29 || !c.contains(".role.")).collect::<Vec<_>>())
        };
        assert_eq!(roles(after), roles(before), "{sdk}");
    }
}

/// What stays while an app is only disabled is not said to go.
#[tokio::test]
async fn a_disabled_app_keeps_its_permissions() {
    let place = Place::new(Scenario::crew_phone()).await;
    let before = place.chosen(KEYS);
    let run = place.take_out(&[(KEYS, Change::Disable)]).await;
    let given: Vec<String> = run.steps[0].given.iter().map(ToString::to_string).collect();
    let keys = "com.corvane.keyboard/.CorvaneKeys";
    assert_eq!(given, [format!("keyboard {keys}"), format!("chosen-keyboard {keys}")]);
    let kept: Vec<String> = before.iter().filter(|chosen| chosen.contains(".permission.")).cloned().collect();
    assert!(!kept.is_empty() && place.chosen(KEYS) == kept, "{:?}", place.chosen(KEYS));
}

/// What the device does not take, or does not keep, is said; so is what only a person can do.
#[tokio::test]
async fn what_does_not_come_back_is_said() {
    let place = Place::new(Scenario::crew_phone()).await;
    place.sim.set_fault(Fault::Says(
        "settings --user 0 list secure".into(),
        format!("enabled_accessibility_services={KEYS}/.Talk\n"),
    ));
    let run = place.take_out(&[(SMS, Change::Uninstall), (KEYS, Change::Uninstall)]).await;
    assert_eq!(run.count(Outcome::Done), 2);
    place.sim.forget_says();
    place.sim.set_fault(Fault::Says(
        format!("cmd role add-role-holder --user 0 android.app.role.SMS {SMS}"),
        "Error: see logcat for details.\n".into(),
    ));
    let plan = place.back_plan(&[SMS, KEYS]).await;
    let told: Vec<_> = plan.steps.iter().filter_map(|s| s.given_words(&place.device.capabilities())).collect();
    assert!(told.iter().any(|words| words.contains("accessibility service")), "{told:?}");
    let run = place.carry_on(place.begin(RunKind::PutBack, &plan).await).await;
    let not: Vec<String> = not_back(&run).iter().map(ToString::to_string).collect();
    assert_eq!(
        not,
        [
            "not role android.app.role.SMS: Error: see logcat for details.".to_owned(),
            format!("not accessibility {KEYS}/.Talk: to be done by hand in the settings")
        ]
    );
    assert_eq!((run.count(Outcome::Done), run.state), (2, RunState::Finished), "the packages are back");
}

/// A program that ended between putting an app back and giving it what it had does the rest when the run is carried on.
#[tokio::test]
async fn what_an_interruption_left_owing_is_given_later() {
    let place = Place::new(Scenario::crew_phone()).await;
    let before = place.chosen(SMS);
    place.take_out(&[(SMS, Change::Uninstall)]).await;
    let plan = place.back_plan(&[SMS]).await;
    let number = place.begin(RunKind::PutBack, &plan).await;
    // As the first program did and wrote down.
    place.device.ask(&Change::Reinstall.request(&id(SMS), OWNER, None), &mut |_| {}).await.unwrap();
    let index = wibbet_types::StepIndex::new(0);
    for event in [
        StepEvent::Sent { at: now(), order: 0 },
        StepEvent::Settled { outcome: Outcome::Done, after: None, remark: String::new(), at: now() },
    ] {
        place.workplace.book.with(move |book| book.append(number, index, &event)).await.unwrap();
    }
    assert_ne!(place.chosen(SMS), before);
    let kept = place.workplace.book.with(move |book| book.run(number)).await.unwrap().unwrap();
    assert!(kept.steps[0].owes() && kept.has_open_steps());
    let run = place.carry_on(number).await;
    assert_eq!((run.state, not_back(&run)), (RunState::Finished, Vec::new()));
    assert_eq!(place.chosen(SMS), before);
    let again = place.carry_on(number).await;
    assert_eq!(again.steps, run.steps, "nothing is sent twice");
}
