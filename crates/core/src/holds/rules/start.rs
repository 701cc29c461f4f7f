//! What the device does not start without, or cannot be used without.

use std::collections::BTreeSet;

use wibbet_types::{PackageId, UserId};

use super::Rule;
use super::role::{Providers, named_hold, providers};
use crate::android::{AndroidNeed, Essential, NeedKind};
use crate::holds::graph::Graph;
use crate::holds::hold::{Found, Hold, HoldKind, Sure};
use crate::holds::known::{HoldSource, Known};
use crate::package::{PackageKind, PartKind};

pub(super) const RULE: Rule = Rule {
    kind: HoldKind::Start,
    doc: "Android does not start without it, or cannot be used: what the package service looks for, what the system dies without, \
          the last home screen, the settings",
    find,
};

/// The permission of whoever draws the status bar. Source: `StatusBarManagerService.enforceStatusBarService`.
const STATUS_BAR: &str = "android.permission.STATUS_BAR_SERVICE";

/// The category of what sets a device up.
const SETUP: &str = "android.intent.category.SETUP_WIZARD";

fn find(known: &Known<'_>, graph: &Graph<'_>, found: &mut Found) {
    let mut add = |id: &PackageId, hold: Hold| found.entry(id.clone()).or_default().push(hold);
    for (id, package) in &known.inventory.packages {
        if !known.in_use(id) || package.kind == PackageKind::User {
            continue;
        }
        if let Some(what) = known.inventory.essential.why(id, known.user) {
            add(id, essential(what));
        }
        let Some(declared) = known.declared(id) else { continue };
        let draws = package.about.requests.iter().any(|permission| &**permission == STATUS_BAR);
        if declared.persistent && declared.core_app && draws {
            let hold =
                Hold::new(HoldKind::Start, "system ui", "the screen: it stays black", Sure::Inferred).of_class(Some(3));
            add(id, hold.shown_by(HoldSource::Manifest, "the system keeps it running, and it may draw the status bar"));
        }
        let part = |kind: PartKind| {
            declared.parts.iter().any(|p| p.kind == kind && p.exported && (p.in_system || declared.in_system))
        };
        if known.user == UserId::OWNER
            && declared.lives_in_system()
            && (part(PartKind::Service) || part(PartKind::Provider))
            && known.inventory.essential.why(id, known.user).is_none()
        {
            let hold = Hold::new(HoldKind::Start, "system process", "a part of the system itself", Sure::Inferred);
            let why = "its code runs in the process of the system itself (android:process=\"system\")";
            add(id, hold.of_class(Some(2)).shown_by(HoldSource::Manifest, why));
        }
    }
    for need in known.needs().filter(|need| need.kind == NeedKind::Start) {
        if need.owner && known.user != UserId::OWNER {
            continue;
        }
        for (id, text, sure) in last(known, graph, need) {
            let hold = Hold::new(HoldKind::Start, &need.name, &need.stops, sure).of_class(need.class);
            let source = if sure == Sure::Known { HoldSource::Android } else { HoldSource::Manifests };
            add(id, hold.shown_by(source, text).lifted_by(need.lift.as_ref()));
        }
    }
    for (text, id, by) in known.named().into_iter().filter(|(text, ..)| text.kind == NeedKind::Start) {
        // It is not the system for everybody: for another user it may go.
        if known.user == UserId::OWNER || text.class == Some(3) {
            add(id, named_hold(HoldKind::Start, text, by).of_class(text.class));
        }
    }
    if known.ties.set_up.get(&known.user) == Some(&false) {
        let setting_up = graph.parts().filter(|(_, part)| part.categories.iter().any(|c| c == SETUP));
        for id in setting_up.map(|(id, _)| id).collect::<BTreeSet<_>>() {
            let hold = Hold::new(
                HoldKind::Start,
                "setting up",
                "setting up: home key and shade are dead until it is over",
                Sure::Seen,
            );
            add(
                id,
                hold.of_class(Some(3))
                    .shown_by(HoldSource::Choices, "the device has not been set up yet")
                    .lifted_by(Some("set the device up first")),
            );
        }
    }
}

/// Who is the last that gives what is needed. What every device of its kind has one of each, as texts of its networks, is needed
/// each by itself.
fn last<'a>(known: &Known<'a>, graph: &Graph<'a>, need: &AndroidNeed) -> Vec<(&'a PackageId, String, Sure)> {
    let Providers { who, by_id } = providers(known, graph, need);
    let sure = if by_id { Sure::Known } else { Sure::Seen };
    let each = need.by.as_deref().is_some_and(|by| by.starts_with('*'));
    let text = || match by_id {
        true => "it is this part of Android by its id".to_owned(),
        false => format!("nothing else on this device answers {}", need.by.as_deref().unwrap_or("")),
    };
    match who.len() {
        _ if each => {
            let texts = "it has the texts of a part of the system, which looks for them by this name".to_owned();
            who.into_iter().map(|id| (id, texts.clone(), Sure::Inferred)).collect()
        }
        1 => who.into_iter().map(|id| (id, text(), sure)).collect(),
        _ => Vec::new(),
    }
}

fn essential(what: Essential) -> Hold {
    let (class, sure) = match what {
        Essential::Settings => (Some(2), Sure::Known),
        Essential::Android | Essential::Shell | Essential::Services => (Some(1), Sure::Known),
        _ => (Some(1), Sure::Seen),
    };
    if what == Essential::Ground {
        let hold = Hold::new(HoldKind::Role, "terminal", "Wibbet itself", sure);
        return hold.shown_by(HoldSource::Packages, what.words());
    }
    if what == Essential::Shell {
        let hold = Hold::new(HoldKind::Role, "debugging", "debugging itself", sure);
        return hold.shown_by(HoldSource::Android, what.words());
    }
    let stops = "starting";
    let source = if sure == Sure::Known { HoldSource::Android } else { HoldSource::Packages };
    Hold::new(HoldKind::Start, "package service", stops, sure).of_class(class).shown_by(source, what.words())
}
