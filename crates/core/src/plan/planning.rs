//! A tray made into a plan: with what it does to each user, in an order in which nothing leans on what has gone, minding the start, and
//! beginning with what is installed.

use std::collections::BTreeSet;

use wibbet_types::{PackageId, PlainText, UserId};

use super::change::Change;
use super::install::plan_install;
use super::plan::Plan;
use super::take_out::plan_take_out;
use super::take_over::beginning_with;
use super::tray::TrayItem;
use super::upshot::{Upshot, upshot};
use crate::android::Capabilities;
use crate::catalog::Catalog;
use crate::package::{Declared, KeptCopy};

/// An app that is installed before anything goes.
#[derive(Debug, Clone, Copy)]
pub struct Newcomer<'a> {
    /// For whom.
    pub user: UserId,
    /// Its APKs.
    pub copy: &'a KeptCopy,
    /// What its manifest says.
    pub declared: &'a Declared,
}

/// A plan for a tray, with what the steps that are sent do to each user, as far as it has been worked out what ties their packages.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlannedTray {
    /// The plan.
    pub plan: Plan,
    /// What it does.
    pub does: Vec<(UserId, Upshot)>,
}

/// Makes a tray into a plan. `no_way_back` sends what cannot be undone; `despite_start` names what goes whatever the start loses.
pub fn plan_tray(
    catalog: &Catalog,
    capabilities: &Capabilities,
    items: &[TrayItem],
    newcomers: &[Newcomer<'_>],
    no_way_back: bool,
    despite_start: &BTreeSet<PackageId>,
) -> PlannedTray {
    let does = upshots(catalog, items, newcomers);
    // Each user's in their own order, one user behind the other.
    let order: Vec<(&PackageId, UserId)> =
        does.iter().flat_map(|(user, does)| does.order.iter().map(|id| (id, *user))).collect();
    let loss = |id: &PackageId, user: UserId| {
        let (_, does) = does.iter().find(|(own, _)| *own == user)?;
        does.starts.get(id).cloned()
    };
    let place = |id: &PackageId, user: UserId| order.iter().position(|own| *own == (id, user));
    let plan = plan_take_out(&catalog.inventory, capabilities, items, no_way_back)
        .minding_the_start(loss, despite_start)
        .in_order(place);
    let install = |one: &Newcomer<'_>| (plan_install(&catalog.inventory, one.copy, one.user), one.declared.clone());
    let plan = beginning_with(plan, newcomers.iter().map(install).collect(), capabilities.sdk);
    let sent = plan.steps.iter().filter(|step| step.skip.is_none() && step.way.is_a_way());
    let sent: Vec<TrayItem> =
        sent.map(|step| TrayItem { id: step.id.clone(), user: step.user, way: step.way }).collect();
    let does = upshots(catalog, &sent, newcomers);
    let mut plan = plan;
    let name = |id: &PackageId| catalog.names.apps.get(id).and_then(|app| app.name());
    plan.terms.names = plan.steps.iter().filter_map(|step| Some((step.id.clone(), name(&step.id)?.clone()))).collect();
    let users: BTreeSet<UserId> = sent.iter().map(|item| item.user).collect();
    // Of whom it was not worked out, nothing is said.
    if users.len() == does.len() {
        let called = |id: &PackageId| name(id).map_or_else(|| id.to_string(), ToString::to_string);
        let told = |(user, does): &(UserId, Upshot)| {
            let whose = if users.len() > 1 { format!("user {user}: ") } else { String::new() };
            does.missed(called).into_iter().map(|words| PlainText::new(&format!("{whose}{words}"))).collect::<Vec<_>>()
        };
        plan.terms.missed = Some(does.iter().flat_map(told).collect());
    }
    PlannedTray { plan, does }
}

/// What a tray does to each of its users, as far as it has been worked out what ties their packages.
pub fn upshots(catalog: &Catalog, tray: &[TrayItem], newcomers: &[Newcomer<'_>]) -> Vec<(UserId, Upshot)> {
    let users: BTreeSet<UserId> = tray.iter().map(|item| item.user).collect();
    let of = |user: UserId| {
        let (judged, known) = (catalog.judged.get(&user)?, catalog.known(user));
        let own = tray.iter().filter(|item| item.user == user);
        let items: Vec<(PackageId, Change)> = own.map(|item| (item.id.clone(), item.way)).collect();
        let new = newcomers.iter().filter(|one| one.user == user).map(|one| one.declared);
        Some((user, upshot(&known, judged, &items).beside(new, catalog.sdk)))
    };
    users.into_iter().filter_map(of).collect()
}
