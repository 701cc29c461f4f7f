//! What people need: calls, a keyboard, web content. Who is the last to give it, or the one that was chosen.

use std::collections::BTreeSet;

use wibbet_types::{PackageId, UserId};

use super::Rule;
use crate::android::{AndroidNeed, NamedText, NeedKind, NeedPart, role_words};
use crate::device::DeviceKind;
use crate::holds::graph::Graph;
use crate::holds::hold::{Found, Hold, HoldKind, Sure};
use crate::holds::known::{HoldSource, Known};
use crate::package::{Given, PackageKind, PartKind};

pub(super) const RULE: Rule = Rule {
    kind: HoldKind::Role,
    doc: "it is the active or the last one that does something people need: calls, typing, web content, accounts, files",
    find,
};

/// Who does what is needed.
pub(super) struct Providers<'a> {
    pub(super) who: BTreeSet<&'a PackageId>,
    /// Known by an id, since nothing else identifies the part.
    pub(super) by_id: bool,
}

/// Who does what is needed, of the packages in use.
pub(super) fn providers<'a>(known: &Known<'a>, graph: &Graph<'a>, need: &AndroidNeed) -> Providers<'a> {
    if let Some(id) = &need.id {
        let here = known.inventory.packages.keys().filter(|own| own.as_str() == id && known.in_use(own));
        return Providers { who: here.collect(), by_id: true };
    }
    let kind = match need.part {
        Some(NeedPart::Activity) => PartKind::Activity,
        Some(NeedPart::Receiver) => PartKind::Receiver,
        Some(NeedPart::Provider) => PartKind::Provider,
        Some(NeedPart::Service) | None => PartKind::Service,
    };
    let guarded = |guard: Option<&str>| {
        need.guard
            .as_deref()
            .is_none_or(|wanted| guard.and_then(|g| g.strip_prefix("android.permission.")) == Some(wanted))
    };
    let place = |id: &PackageId| {
        let package = known.inventory.packages.get(id);
        need.place.as_deref().is_none_or(|place| package.is_some_and(|package| package.partition() == place))
    };
    // What the system itself looks for it looks for among its own parts: an app that says the same takes nobody's place.
    let may = |id: &PackageId| {
        let own = known.inventory.packages.get(id).is_some_and(|package| package.kind != PackageKind::User);
        own || need.kind != NeedKind::Start || need.chosen.is_some()
    };
    let fits = |id: &&PackageId, part: &crate::package::DeclaredPart| {
        part.kind == kind
            && part.exported
            // What steps in only when nobody else is there does not do it for anybody.
            && part.priority >= 0
            && part.names.iter().any(|name| need.is_named(name))
            && need.category.as_ref().is_none_or(|wanted| part.categories.contains(wanted))
            && guarded(part.guard.as_deref())
            && place(id)
            && may(id)
            && (part.direct_boot || !need.boot)
    };
    let mut who: BTreeSet<&PackageId> = match need.by.as_deref() {
        Some(by) if !by.starts_with('*') => {
            graph.parts_named(by).filter(|(id, part)| fits(id, part)).map(|(id, _)| id).collect()
        }
        _ => graph.parts().filter(|(id, part)| fits(id, part)).map(|(id, _)| id).collect(),
    };
    // Of a part whose manifest was not read it is not known whether it can be used before unlocking.
    if !need.boot {
        who.extend(known.answering(need).filter(|id| place(id) && may(id)));
    }
    // A keyboard that is not switched on cannot be typed with.
    if need.chosen.as_deref() == Some("keyboard") {
        // Where none is left that is on the system switches on one of its own (`InputMethodManagerService`,
        // `resetDefaultEnabledIme`): that one types a password too, though people may not know its ways.
        let stands_in = |id: &PackageId| {
            need.password && known.inventory.packages.get(id).is_some_and(|package| package.kind != PackageKind::User)
        };
        let on = |id: &&&PackageId| {
            stands_in(id) || known.chosen(id).iter().any(|given| matches!(given, Given::Keyboard(_)))
        };
        let switched_on: BTreeSet<&PackageId> = who.iter().filter(on).copied().collect();
        if !switched_on.is_empty() {
            return Providers { who: switched_on, by_id: false };
        }
    }
    Providers { who, by_id: false }
}

/// The hold of whoever is named by the framework.
pub(super) fn named_hold(kind: HoldKind, text: &NamedText, by: &PackageId) -> Hold {
    let says = match by.as_str() {
        "android" => format!("the framework names it ({})", text.name),
        other => format!("{other}, which is laid over the framework, names it ({})", text.name),
    };
    Hold::new(kind, &text.what, &text.stops, Sure::Seen).shown_by(HoldSource::Framework, says)
}

/// Something that Android needs, with everybody who does it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct What {
    /// Its name.
    pub name: &'static str,
    /// What stops when nobody does it.
    pub stops: &'static str,
    /// The class of the start that fails then, if one does.
    pub class: Option<u8>,
    /// Whether it is something that people know as a role.
    pub is_role: bool,
    /// Who does it, of the packages in use.
    pub who: BTreeSet<PackageId>,
}

impl<'a> Known<'a> {
    /// What Android needs on this version, and who does it, where several together can be missing.
    pub(crate) fn what_is_done(&self, graph: &Graph<'a>) -> Vec<What> {
        let counts = |need: &&AndroidNeed| {
            let each = need.by.as_deref().is_some_and(|by| by.starts_with('*'));
            !each && !need.optional && (!need.owner || self.user == UserId::OWNER)
        };
        let what = |need: &'static AndroidNeed| What {
            name: &need.name,
            stops: &need.stops,
            class: need.class,
            is_role: need.kind == NeedKind::Role || need.class == Some(3),
            who: providers(self, graph, need).who.into_iter().cloned().collect(),
        };
        self.needs().filter(counts).map(what).collect()
    }
}

/// Roles and choices by the name that a machine is told: the last part of Android's own name of the role, in small letters.
fn usual_role(role: &str) -> String {
    role.rsplit('.').next().unwrap_or(role).to_lowercase().replace('_', " ")
}

fn find(known: &Known<'_>, graph: &Graph<'_>, found: &mut Found) {
    for need in known.needs() {
        let Providers { who, by_id } = providers(known, graph, need);
        let is_chosen = |id: &PackageId| {
            need.role().is_some_and(|role| {
                known.chosen(id).iter().any(|given| match given {
                    Given::Role(name) => name.strip_prefix("android.app.role.") == Some(role),
                    Given::Home(_) => role == "HOME",
                    Given::Dialer => role == "DIALER",
                    _ => false,
                })
            })
        };
        let last = who.len() == 1;
        for id in &who {
            let chosen = is_chosen(id);
            let text = match (last, chosen, by_id) {
                // That it is the last of a start is told there.
                (true, false, _) if need.kind == NeedKind::Start || need.optional => continue,
                (true, _, true) => "it is this part of Android by its id".to_owned(),
                (true, true, _) => format!("it is chosen for {}, and nothing else here can do it", need.name),
                (true, false, _) => {
                    format!("nothing else in use has {}", need.by.as_deref().unwrap_or(""))
                }
                (false, true, _) => format!("it is chosen for {}; {} more could do it", need.name, who.len() - 1),
                (false, false, _) => continue,
            };
            let sure = if by_id { Sure::Known } else { Sure::Seen };
            let source = match (by_id, chosen) {
                (true, _) => HoldSource::Android,
                (false, true) => HoldSource::Choices,
                (false, false) => HoldSource::Manifests,
            };
            let mut hold = Hold::new(HoldKind::Role, &need.name, &need.stops, sure).shown_by(source, text);
            (hold.others, hold.last) = (who.len() - 1, last);
            found.entry((*id).clone()).or_default().push(hold.lifted_by(need.lift.as_ref()));
        }
    }
    for id in known.inventory.packages.keys().filter(|id| known.in_use(id)) {
        for given in known.chosen(id) {
            let (what, stops) = match given {
                // What was found above says more of it.
                Given::Role(name) if is_told(found, id, &usual_role(name)) => continue,
                Given::Role(name) => (usual_role(name), role_words(name).to_owned()),
                Given::Home(_) if !is_told(found, id, "home") => ("home".into(), role_words("HOME").to_owned()),
                Given::Dialer if !is_told(found, id, "dialer") => ("dialer".into(), role_words("DIALER").to_owned()),
                Given::Setting(name, _) => match name.as_str() {
                    "autofill_service" => ("autofill".into(), "filling in forms".to_owned()),
                    "nfc_payment_default_component" => ("tap to pay".into(), "paying by tapping".to_owned()),
                    "tts_default_synth" => ("text to speech".into(), "reading aloud".to_owned()),
                    _ => continue,
                },
                Given::Accessibility(_) => {
                    ("accessibility".into(), "reading the screen aloud, or acting on it".to_owned())
                }
                _ => continue,
            };
            let hold = Hold::new(HoldKind::Role, &what, stops, Sure::Seen);
            let text = format!("it is {}", given.words());
            let hold = hold.shown_by(HoldSource::Choices, text);
            let hold = hold.lifted_by(Some(format!("choose another app for {what} first")));
            found.entry(id.clone()).or_default().push(hold);
        }
    }
    for (text, id, by) in known.named() {
        if text.kind == NeedKind::Role && !is_told(found, id, &text.what) {
            found.entry(id.clone()).or_default().push(named_hold(HoldKind::Role, text, by));
        }
        // Without what lies over it the framework names somebody else, or nobody.
        if by.as_str() != "android" && known.in_use(by) && !is_told(found, by, &text.what) {
            let says = format!("it lies over the framework and names {id} for that ({})", text.name);
            let hold = Hold::new(HoldKind::Role, &text.what, &text.stops, Sure::Seen);
            found.entry(by.clone()).or_default().push(hold.shown_by(HoldSource::Framework, says));
        }
    }
    engaged(known, &mut |id, hold| found.entry(id.clone()).or_default().push(hold));
}

/// Whether a role hold of a name was found already. Who holds a role and is not found by a part of its own is tied all the same.
fn is_told(found: &Found, id: &PackageId, what: &str) -> bool {
    found.get(id).is_some_and(|holds| holds.iter().any(|hold| hold.kind == HoldKind::Role && hold.what == what))
}

/// What the device says of who is engaged in what.
fn engaged(known: &Known<'_>, add: &mut impl FnMut(&PackageId, Hold)) {
    let ties = known.ties;
    if let Some(id) = ties.web_view.as_ref().filter(|id| known.in_use(id)) {
        let others = ties.web_views.iter().filter(|other| *other != id).count();
        let mut hold = Hold::new(HoldKind::Role, "web view", "web content in all apps, for all users", Sure::Seen);
        (hold.others, hold.last) = (others, others == 0);
        let text = match others {
            0 => "it shows web content in apps, and nothing else here can".to_owned(),
            _ => format!("it shows web content in apps; {others} more could"),
        };
        let lift = (others > 0).then_some("choose another web view in the developer options first");
        add(id, hold.shown_by(HoldSource::WebView, text).lifted_by(lift));
    }
    for id in ties.admins.iter().flat_map(|users| users.get(&known.user)).flatten().filter(|id| known.in_use(id)) {
        let hold = Hold::new(HoldKind::Role, "device admin", "managing this device or profile", Sure::Seen);
        let lift = Some("whoever manages the device has to let it go first");
        add(
            id,
            hold.shown_by(HoldSource::Admins, "it is an active administrator, or owns the profile").lifted_by(lift),
        );
    }
    let accounts = ties.accounts.iter().flat_map(|users| users.get(&known.user)).flatten();
    for (id, count) in accounts.filter(|(id, count)| **count > 0 && known.in_use(id)) {
        let words = if *count == 1 { "1 account".to_owned() } else { format!("{count} accounts") };
        let hold = Hold::new(HoldKind::Role, "accounts", &words, Sure::Seen);
        add(id, hold.shown_by(HoldSource::Accounts, format!("{words} of its kind are signed in, and go with it")));
    }
    // A TV's remote is a phone without a screen: what turns its keys into those of the TV may press keys everywhere.
    if known.kind == DeviceKind::Tv && known.user == UserId::OWNER {
        const PRESSES: &str = "android.permission.INJECT_EVENTS";
        for (id, package) in &known.inventory.packages {
            let presses = package.about.requests.iter().any(|permission| &**permission == PRESSES);
            if presses && package.kind != PackageKind::User && known.in_use(id) && id.as_str() != "com.android.shell" {
                let hold = Hold::new(HoldKind::Role, "remote", "the remote: no keys are left", Sure::Inferred);
                add(id, hold.shown_by(HoldSource::Packages, "it may press keys everywhere, on a TV"));
            }
        }
    }
}
