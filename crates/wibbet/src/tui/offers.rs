//! What can be done and chosen here and now: pure functions of the model, for keys, hints, palette and windows alike.

use wibbet_bench::ops::Opening;
use wibbet_core::ask::DeviceSetting;
use wibbet_core::catalog::Column;
use wibbet_core::link::Rung;
use wibbet_core::plan::{Change, Skip, TrayItem};
use wibbet_core::run::{Outcome, RunKind};
use wibbet_core::search::{Completion, Search};

use crate::export::csv::Form;
use crate::tui::app::{DeviceModel, Model};
use crate::tui::keys::{Action, KEYMAP, View};

/// What the word under the cursor of the search line can become.
pub(super) fn completions(device: &DeviceModel) -> Vec<Completion> {
    let line = device.search.value();
    let cursor = line.char_indices().nth(device.search.cursor()).map_or(line.len(), |(at, _)| at);
    let offers = Search::complete(line, cursor);
    // A word that is whole already needs no list.
    let whole = |c: &Completion| c.text.trim_end() == &line[c.at.clone()];
    if offers.len() == 1 && offers.iter().all(whole) { Vec::new() } else { offers }
}

/// What can be opened on the device for the package under the cursor, with words for people.
pub(crate) fn openings(device: &DeviceModel) -> Vec<(String, Opening)> {
    let Some(id) = device.under_cursor().cloned() else { return Vec::new() };
    let user = device.user();
    let mut all = Vec::new();
    if let Some(app) = device.sight(&id).and_then(|s| s.app) {
        for entry in app.home.iter().take(6) {
            let name = entry.label.as_ref().or(app.label.as_ref()).map_or("the app", |l| l.as_str());
            let class = Some(entry.class.to_string());
            all.push((format!("“{name}”, as from the home screen"), Opening { id: id.clone(), user, class }));
        }
    }
    all.push(("its page in the device's settings".to_owned(), Opening { id, user, class: None }));
    all
}

/// All columns, those that are chosen first.
pub(crate) fn column_list(model: &Model) -> Vec<(Column, bool)> {
    let chosen = model.columns.iter().map(|c| (*c, true));
    chosen.chain(Column::ALL.into_iter().filter(|c| !model.columns.contains(c)).map(|c| (c, false))).collect()
}

/// What can be written to a file: the words, the form, and whether all packages.
pub(crate) const EXPORTS: [(&str, Form, bool); 4] = [
    ("what is found, as CSV", Form::Csv, false),
    ("what is found, as JSON", Form::Json, false),
    ("all packages, as CSV", Form::Csv, true),
    ("all packages, as JSON", Form::Json, true),
];

/// Whether an action does something here and now.
pub(crate) fn is_enabled(model: &Model, action: Action) -> bool {
    let device = model.device();
    let in_packages = model.view == View::Packages && device.is_some_and(|d| d.inventory.is_some());
    let on = |test: fn(&DeviceModel) -> bool| device.is_some_and(test);
    let reviewed = model.view == View::Run && on(|d| d.reviewed().is_some());
    let no_way_back =
        reviewed && on(|d| d.reviewed().is_some_and(|r| r.plan.steps.iter().any(|s| s.skip == Some(Skip::NoWayBack))));
    match action {
        Action::Send => {
            reviewed && on(|d| d.is_ready() && !d.running && d.reviewed().is_some_and(|r| r.plan.to_send() > 0))
        }
        Action::ToDisable => {
            no_way_back || (model.view == View::Run && on(|d| !d.running && !refused_uninstalls(d).is_empty()))
        }
        Action::AllowNoWayBack => no_way_back,
        Action::Stop => on(|d| d.running),
        Action::CarryOn => {
            matches!(model.view, View::Run | View::Bench)
                && !reviewed
                && on(|d| !d.running && d.is_ready() && to_carry_on(d).is_some())
        }
        Action::Mark => in_packages || (model.view == View::Shelf && on(|d| !d.shelf.entries.is_empty())),
        Action::NextWay => in_packages && on(|d| d.under_cursor().is_some()),
        Action::GoOn => match model.view {
            View::Bench => on(|d| d.inventory.is_some()),
            View::Packages => on(|d| !d.tray.is_empty()),
            View::Logbook => !model.log.is_empty(),
            View::Run | View::Shelf => false,
        },
        Action::PutBack => match model.view {
            View::Shelf => on(|d| !d.shelf.entries.is_empty()),
            View::Packages => on(is_off_under_cursor),
            View::Run => {
                !reviewed && on(|d| !d.running && d.shown_run().is_some_and(|r| can_be_put_back(r, Some(d.run_at))))
            }
            _ => false,
        },
        Action::Undo => match model.view {
            View::Packages => on(DeviceModel::can_undo_tray),
            View::Run => on(|d| !d.running && d.shown_run().is_some_and(|r| can_be_put_back(r, None))),
            _ => false,
        },
        Action::Search | Action::MarkFound => {
            in_packages && (action == Action::Search || on(|d| !d.search.value().is_empty()))
        }
        Action::NextUser => in_packages && on(|d| d.inventory.as_ref().is_some_and(|i| i.users.len() > 1)),
        Action::EmptyTray => in_packages && on(|d| !d.tray.is_empty()),
        Action::Words => model.view == View::Run && on(|d| d.run_len() > 0),
        Action::Details | Action::Columns | Action::Searches | Action::FromList | Action::Export | Action::Sort => {
            in_packages
        }
        Action::SortOtherWay => in_packages && on(|d| d.sort.0.is_some()),
        Action::Languages => in_packages && on(DeviceModel::is_ready),
        Action::WholeSheet | Action::CopyId | Action::Star | Action::Note => {
            in_packages && on(|d| d.under_cursor().is_some())
        }
        Action::Open => in_packages && on(|d| d.is_ready() && !d.running && d.under_cursor().is_some()),
        Action::Follow => in_packages && on(DeviceModel::is_ready),
        Action::Unfollow => in_packages && on(|d| d.following),
        Action::AddDevice | Action::Pair | Action::Guide => model.view == View::Bench,
        Action::CloseLink => model.view == View::Bench && on(|d| !d.running && d.ladder.holds(Rung::Shell)),
        Action::StayAwake => {
            model.view == View::Bench
                && on(|d| {
                    let told = d.details.as_ref().is_some_and(|t| t.vitals.stays_awake.is_some());
                    !d.running && d.is_ready() && told
                })
        }
        Action::OwnScreens => model.simulated,
        Action::NextDevice => model.devices.len() > 1,
        Action::ReadAgain => on(|d| !d.running && d.busy.is_none()),
        Action::Back => reviewed || (in_packages && on(|d| !d.search.value().is_empty())),
        _ => true,
    }
}

pub(crate) fn to_carry_on(device: &DeviceModel) -> Option<i64> {
    match device.shown_run() {
        Some(run) if run.is_unfinished() => Some(run.number),
        Some(_) => None,
        None => device.unfinished().map(|run| run.number),
    }
}

/// What a run could not uninstall, to be disabled instead.
pub(crate) fn refused_uninstalls(device: &DeviceModel) -> Vec<TrayItem> {
    let Some(run) = device.shown_run() else { return Vec::new() };
    let failed = |s: &&wibbet_core::run::Step| {
        let uninstall = s.way.takes_out() && s.way != Change::Disable;
        uninstall && matches!(s.outcome, Some(Outcome::Refused | Outcome::NoEffect))
    };
    let item = |s: &wibbet_core::run::Step| TrayItem { id: s.id.clone(), user: s.user, way: Change::Disable };
    run.steps.iter().filter(failed).map(item).collect()
}

fn is_off_under_cursor(device: &DeviceModel) -> bool {
    match (&device.inventory, device.under_cursor()) {
        (Some(inventory), Some(id)) => inventory.state(id, device.user()).condition().is_off(),
        _ => false,
    }
}

fn can_be_put_back(run: &wibbet_core::run::Run, only: Option<usize>) -> bool {
    run.kind == RunKind::TakeOut
        && run.steps.iter().any(|s| s.outcome == Some(Outcome::Done) && only.is_none_or(|place| s.place == place))
}

/// Whether the device is kept awake from here.
pub(crate) fn stays_awake(device: &DeviceModel) -> bool {
    device.details.as_ref().and_then(|d| d.vitals.stays_awake) == Some(DeviceSetting::AWAKE_ALWAYS)
}

/// The actions whose name holds every word of a line.
pub(crate) fn palette(line: &str) -> Vec<Action> {
    let words: Vec<String> = line.split_whitespace().map(str::to_lowercase).collect();
    KEYMAP.iter().filter(|b| words.iter().all(|w| b.name.to_lowercase().contains(w))).map(|b| b.action).collect()
}
