//! Settings of a device that an order sets, over the real protocol.

use std::path::PathBuf;
use std::sync::Arc;

use tokio::sync::watch;
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::ops::note_met;
use wibbet_bench::orders::{OrderTrouble, OrderWanted, carry_out_order, prepare_order};
use wibbet_bench::run::Control;
use wibbet_bench::run::{put_settings_back, set_settings, settings_of};
use wibbet_bench::workplace::Workplace;
use wibbet_core::ask::Request;
use wibbet_core::order::read_order;
use wibbet_core::run::SettingState;
use wibbet_sim::{CutAt, Direction, Fault, Scenario, SimDevice};
use wibbet_types::{DeviceId, UserId};

use crate::support::linked;

const ORDER: &str = r#"
[order]
format = 1
name = "Ticket desk"
[[setting]]
table = "global"
name = "window_animation_scale"
value = "0.5"
[[setting]]
table = "system"
name = "screen_off_timeout"
value = "120000"
users = ["owner", "Stern"]
[[setting]]
table = "secure"
name = "desk_name"
value = "Pier 3; reboot"
"#;

fn wanted(text: &str) -> OrderWanted {
    OrderWanted {
        order: Arc::new(read_order(text).unwrap()),
        folder: PathBuf::new(),
        despite: Default::default(),
        any_device: false,
        no_way_back: false,
    }
}

async fn shell(device: &AdbDevice, command: &str) -> String {
    // A link that goes is made anew by the next one.
    loop {
        if let Ok(answer) = device.ask(&Request::change_by_shell(command.into()), &mut |_| {}).await {
            return answer.out.trim().to_owned();
        }
    }
}

async fn values(device: &AdbDevice) -> [String; 3] {
    [
        shell(device, "settings get global window_animation_scale").await,
        shell(device, "settings get system screen_off_timeout").await,
        shell(device, "settings get secure desk_name").await,
    ]
}

/// Carries the order out; why it is not whole, where it is not.
async fn carried_out(workplace: &Workplace, device: &AdbDevice) -> (usize, Option<OrderTrouble>) {
    let wanted = wanted(ORDER);
    let prepared = prepare_order(workplace, device, &wanted, &mut |_| {}).await.unwrap();
    let (_stop, stopped) = watch::channel(Control::Go);
    let ended = carry_out_order(workplace, device, &prepared, &wanted.order, None, stopped, &|_| {}).await;
    assert!(ended.run.is_some(), "what is set stands with a run");
    (ended.settings.iter().filter(|one| one.state == SettingState::Done).count(), ended.trouble)
}

fn sent(sim: &SimDevice) -> usize {
    sim.transcript().iter().filter(|line| line.contains(" put ") || line.contains(" delete ")).count()
}

async fn id_of(workplace: &Workplace, device: &AdbDevice) -> DeviceId {
    note_met(&workplace.book, device).await.unwrap().id
}

/// What was set is read back, said with the order, and put back to what it was, also where that was nothing.
#[tokio::test]
async fn what_an_order_sets_is_read_back_and_put_back() {
    let (sim, workplace, device, _place) = linked(Scenario::crew_phone(), 1).await;
    let held = prepare_order(&workplace, &device, &wanted(ORDER), &mut |_| {}).await.unwrap();
    let words: Vec<String> = held.settings.iter().map(|one| one.words()).collect();
    let told = ["not set → 0.5", "60000 → 120000", "stays: there is no user “Stern”", "not set → Pier 3; reboot"];
    assert_eq!((words, sent(&sim)), (told.map(str::to_owned).to_vec(), 0), "only looked at");
    let (done, trouble) = carried_out(&workplace, &device).await;
    assert!(done == 3 && trouble.is_none(), "{done} {trouble:?}");
    assert_eq!(values(&device).await, ["0.5", "120000", "Pier 3; reboot"]);
    // A second time nothing is left to do.
    let again = prepare_order(&workplace, &device, &wanted(ORDER), &mut |_| {}).await.unwrap();
    assert!(again.is_to_do(&wanted(ORDER)).is_err() && again.held(&wanted(ORDER)).to_send() == 0);

    let back = put_settings_back(&workplace, &device).await.unwrap();
    assert!(back.len() == 3 && back.iter().all(|one| one.done), "{back:?}");
    assert_eq!(back[0].goal.setting.name(), "desk_name", "the last one first");
    assert_eq!(values(&device).await, ["null", "60000", "null"]);
    let before = sent(&sim);
    assert!(put_settings_back(&workplace, &device).await.unwrap().is_empty());
    assert_eq!(sent(&sim), before, "what is back is not sent again");
}

/// Between showing and sending somebody may have set it: it goes back to what it was when it was sent.
#[tokio::test]
async fn it_goes_back_to_what_it_was_when_it_was_sent() {
    let (_sim, workplace, device, _place) = linked(Scenario::crew_phone(), 1).await;
    let prepared = prepare_order(&workplace, &device, &wanted(ORDER), &mut |_| {}).await.unwrap();
    shell(&device, "settings put system screen_off_timeout 45000").await;
    let set = set_settings(&workplace, &device, ("Ticket desk", None), &prepared.settings, || false).await.unwrap();
    assert_eq!(set[1].before.as_deref(), Some("45000"));
    // A stop leaves out what was not sent.
    assert!(set_settings(&workplace, &device, ("x", None), &prepared.settings, || true).await.unwrap().is_empty());
    put_settings_back(&workplace, &device).await.unwrap();
    assert_eq!(values(&device).await[1], "45000");
}

/// What the device does not take is told with what it says, and what somebody has set since is theirs.
#[tokio::test]
async fn what_is_refused_or_set_by_somebody_else_stays() {
    let (sim, workplace, device, _place) =
        linked(Scenario { second_switch_off: true, ..Scenario::crew_phone() }, 1).await;
    let (done, trouble) = carried_out(&workplace, &device).await;
    let words = trouble.unwrap().to_string();
    assert!(done == 1 && words.contains("window_animation_scale: the device left it as it was"), "{done} {words}");
    assert!(words.contains("second switch") && !words.contains("Exception"), "{words}");
    assert_eq!(values(&device).await, ["null", "120000", "null"]);
    shell(&device, "settings put system screen_off_timeout 30000").await;
    let before = sent(&sim);
    let back = put_settings_back(&workplace, &device).await.unwrap();
    assert!(back.len() == 1 && !back[0].done && back[0].why.contains("30000"), "{back:?}");
    assert_eq!((sent(&sim), values(&device).await[1].as_str()), (before, "30000"));
}

/// Wherever the link goes, the record says what became of it once the device has been looked at, and it goes back.
#[tokio::test]
async fn what_was_sent_and_not_read_back_is_settled_by_the_next_look() {
    let (sim, workplace, device, _place) = linked(Scenario::crew_phone(), 1).await;
    let id = id_of(&workplace, &device).await;
    let prepared = prepare_order(&workplace, &device, &wanted(ORDER), &mut |_| {}).await.unwrap();
    let first = &prepared.settings[..1];
    let (mut sent, mut done, mut not) = (0, 0, 0);
    for way in [Direction::ToDevice, Direction::FromDevice] {
        for n in 0..10 {
            sim.set_fault(Fault::Cut(CutAt::Packet(way, n)));
            let stopped = set_settings(&workplace, &device, ("Ticket desk", None), first, || false).await;
            let of = id.clone();
            let last = workplace.book.with(move |book| book.settings(&of)).await.unwrap().pop();
            // The fault may happen to what looks, too.
            let settled = loop {
                if let Ok(mut all) = settings_of(&workplace.book, &device, &id).await {
                    break all.pop();
                }
            };
            let now = shell(&device, "settings get global window_animation_scale").await;
            if let Some(last) = last.filter(|last| last.back.is_none() && !last.undoes) {
                sent += usize::from(stopped.is_err() && last.state == SettingState::Sent);
                let settled = settled.unwrap();
                assert_eq!(
                    (settled.number, settled.before.as_deref(), settled.user),
                    (last.number, None, UserId::OWNER)
                );
                let so = now == "0.5";
                assert_eq!(settled.state, if so { SettingState::Done } else { SettingState::NotDone }, "{way:?} {n}");
                (done, not) = (done + usize::from(so), not + usize::from(!so));
            } else {
                assert_eq!(now, "null", "{way:?} {n}: what is not written down is not sent");
            }
            while let Err(error) = put_settings_back(&workplace, &device).await {
                assert!(error.to_string().contains("lost"), "{error}");
            }
            assert_eq!(shell(&device, "settings get global window_animation_scale").await, "null", "{way:?} {n}");
        }
    }
    assert!(sent > 2 && done > 2 && not > 0, "{sent} {done} {not}");
}
