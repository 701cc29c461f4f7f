//! How long runs take, held against the device's own time and against a plain client of the protocol that does one thing after
//! the other. `cargo bench -p wibbet-bench --bench runs`.
//!
//! In stopped time, which passes only while device or line is at work. The package service does one thing after the other: a
//! change takes it 20 ms, 80 ms or 300 ms; to tell of one package in short takes 40 ms, at length three times that, of all of them in
//! short six times. A program that is started takes 35 ms of one of four cores, as `cmd` does; a call without a shell takes none.
//! These are estimates of a very quick device's, a quick one's and a slow one's times, not measurements.
#![allow(clippy::unwrap_used, clippy::print_stdout, reason = "a benchmark")]

use std::collections::BTreeSet;
use std::time::Duration;

use tokio::sync::watch;
use tokio::time::Instant;
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::ops::survey;
use wibbet_bench::policy::RunPolicy;
use wibbet_bench::run::{Control, RunStart, run_plan};
use wibbet_bench::workplace::Workplace;
use wibbet_core::ask::Request;
use wibbet_core::package::{Condition, PackageKind};
use wibbet_core::plan::{Change, Plan, TrayItem, plan_take_out};
use wibbet_core::run::{Outcome, Run, RunKind};
use wibbet_sim::{Fault, Scenario, SimDevice, SimUser};
use wibbet_types::UserId;

#[path = "../tests/support/mod.rs"]
mod support;

use support::in_memory;

fn main() {
    // Asked for by `cargo test --benches`: nothing is measured then.
    if std::env::args().any(|a| a == "--test") {
        return;
    }
    let stopped = tokio::runtime::Builder::new_current_thread().enable_all().start_paused(true).build().unwrap();
    stopped.block_on(measure());
}

struct Place {
    sim: SimDevice,
    device: AdbDevice,
    workplace: Workplace,
    _folder: tempfile::TempDir,
}

async fn place(trip: u32, change: u32) -> Place {
    let folder = tempfile::tempdir().unwrap();
    let mut scenario = Scenario::crew_phone();
    let guest = SimUser { id: 11, name: "Guest".into(), flags: 0x414, ..scenario.users[0].clone() };
    scenario.users.push(guest);
    let (sim, workplace) = in_memory(scenario, 1, folder.path(), RunPolicy::default()).await;
    let device = workplace.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    sim.set_fault(format!("line={trip}:30:35").parse::<Fault>().unwrap());
    sim.set_fault(format!("work={change}:40").parse::<Fault>().unwrap());
    Place { sim, device, workplace, _folder: folder }
}

impl Place {
    /// So many packages of the system in use, as evenly for all users as there are.
    async fn plan(&self, count: usize) -> Plan {
        let inventory = survey(&self.device, &mut |_| {}).await.unwrap();
        let mut tray = Vec::new();
        for package in inventory.packages.values().filter(|p| p.kind == PackageKind::System) {
            for user in inventory.users.iter().map(|user| user.id) {
                if package.condition(user) == Condition::InUse {
                    tray.push(TrayItem { id: package.id.clone(), user, way: Change::Uninstall });
                }
            }
        }
        let mut plan = plan_take_out(&inventory, &self.device.capabilities(), &tray, false);
        plan.steps.retain(|step| step.skip.is_none());
        if count <= 30 {
            plan.steps.retain(|step| step.user == UserId::OWNER);
        }
        plan.steps.truncate(count);
        assert_eq!(plan.steps.len(), count);
        plan
    }

    async fn run(&self, plan: Plan) -> (Run, Duration, Duration, usize) {
        let (worked, asked) = (self.sim.worked(), self.sim.transcript().len());
        let (_stop, stopped) = watch::channel(Control::Go);
        let begun = Instant::now();
        let ended =
            run_plan(&self.workplace, &self.device, RunStart::New(RunKind::TakeOut, plan), stopped, &|_| {}).await;
        let took = begun.elapsed();
        let run = ended.result.unwrap();
        if std::env::var("TRACE").is_ok() {
            self.sim
                .transcript()
                .iter()
                .skip(asked)
                .filter(|l| !l.contains("uninstall"))
                .for_each(|l| println!("    {l}"));
        }
        let undone: Vec<_> = run.steps.iter().filter(|s| s.outcome != Some(Outcome::Done)).collect();
        assert!(undone.is_empty(), "{undone:#?}");
        (run, took, self.sim.worked() - worked, self.sim.transcript().len() - asked)
    }
}

async fn measure() {
    for (trip, change) in [(5, 20), (50, 20), (5, 80), (50, 80), (5, 300), (50, 300)] {
        let of = format!("{change} ms a change, {trip} ms a round trip");
        let here = place(trip, change).await;
        let plan = here.plan(120).await;
        let users: BTreeSet<_> = plan.steps.iter().map(|step| step.user).collect();
        let (run, took, own, asked) = here.run(plan).await;
        println!(
            "{of}: {} packages over {} users: {took:.2?}; the device's own time {own:.2?} ({:+.1} %); {} requests beside the changes",
            run.steps.len(),
            users.len(),
            (took.as_secs_f64() / own.as_secs_f64() - 1.0) * 100.0,
            asked - run.steps.len()
        );
        let here = place(trip, change).await;
        let plan = here.plan(30).await;
        let (_, took, own, _) = here.run(plan.clone()).await;
        let mut plain = Vec::new();
        for looks in [true, false] {
            let here = place(trip, change).await;
            here.plan(30).await;
            let begun = Instant::now();
            for step in &plan.steps {
                // A program that is started for each, as whoever types them would.
                let words = format!("cmd package uninstall --user {} {}", step.user, step.id);
                let said = here.device.ask(&Request::shell(words), &mut |_| {}).await.unwrap();
                assert!(said.out.contains("Success"), "{said:?}");
                if looks {
                    let words = format!("dumpsys package {}", step.id);
                    here.device.ask(&Request::shell(words), &mut |_| {}).await.unwrap();
                }
            }
            plain.push(begun.elapsed());
        }
        let times = |plain: Duration| plain.as_secs_f64() / took.as_secs_f64();
        println!(
            "{of}: 30 packages: {took:.2?} (the device's own {own:.2?}), all read back; one by one with a look each {:.2?} ({:.1} times as long), without any look {:.2?} ({:.2} times)",
            plain[0],
            times(plain[0]),
            plain[1],
            times(plain[1])
        );
    }
}
