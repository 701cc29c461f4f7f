//! What an app that is installed in a run takes over from those that go in it: it is chosen for what they were chosen for, as far as its
//! manifest says that it can do that, before they go.

use wibbet_types::PackageId;

use super::plan::{Plan, PlannedStep, SkipReason};
use super::upshot::{StartOutlook, Upshot};
use crate::android::{AndroidNeed, NeedPart, needs};
use crate::package::{Declared, DeclaredPart, Given, PartKind};

/// The service by which Android knows a keyboard.
const KEYBOARD: &str = "android.view.InputMethod";

/// Puts the steps that install an app at the beginning of a plan. Each takes over for its user what the packages that go had been chosen
/// for and it can do.
#[must_use]
pub fn beginning_with(mut plan: Plan, newcomers: Vec<(PlannedStep, Declared)>, sdk: u32) -> Plan {
    let mut first = Vec::with_capacity(newcomers.len());
    for (mut step, declared) in newcomers {
        let goes =
            plan.steps.iter().filter(|other| other.skip.is_none() && other.user == step.user && other.id != step.id);
        let given: Vec<&Given> = goes.filter(|other| other.way.takes_out()).flat_map(|other| &other.given).collect();
        step.given = takes_over(&step.id, &declared, &given, sdk);
        // What is there already may still have to be chosen.
        if step.skip == Some(SkipReason::AlreadySo) && !step.given.is_empty() {
            step.skip = None;
        }
        first.push(step);
    }
    plan.steps.splice(0..0, first);
    plan
}

/// What of the things that others had been given an app can be given instead.
fn takes_over(id: &PackageId, declared: &Declared, from: &[&Given], sdk: u32) -> Vec<Given> {
    let part = |kind, name, category| part_of(declared, kind, name, category).map(|part| short(id, &part.class));
    let home = || part(PartKind::Activity, "android.intent.action.MAIN", Some("android.intent.category.HOME"));
    let can_take = |role: &str| {
        let role = role.strip_prefix("android.app.role.").unwrap_or(role);
        let need = needs().iter().find(|need| need.is_of(sdk) && need.role() == Some(role));
        need.is_some_and(|need| does(declared, need))
    };
    let mut taken: Vec<Given> = Vec::new();
    for given in from {
        let new = match given {
            Given::Keyboard(_) => part(PartKind::Service, KEYBOARD, None).map(Given::Keyboard),
            Given::ChosenKeyboard(_) => part(PartKind::Service, KEYBOARD, None).map(|keys| {
                // One has to be switched on before it can be chosen.
                taken.push(Given::Keyboard(keys.clone()));
                Given::ChosenKeyboard(keys)
            }),
            Given::Home(_) => home().map(Given::Home),
            Given::Role(role) if can_take(role) => Some(Given::Role(role.clone())),
            Given::Dialer if can_take("DIALER") => Some(Given::Dialer),
            _ => None,
        };
        taken.extend(new);
    }
    // Switched on first, chosen then.
    let mut seen = std::collections::HashSet::new();
    taken.retain(|given| seen.insert(given.clone()) && given.to_string().parse::<Given>().is_ok());
    taken.sort_by_key(|given| !matches!(given, Given::Keyboard(_)));
    taken
}

/// The part of an app that answers a name, and stands in a category.
fn part_of<'a>(declared: &'a Declared, kind: PartKind, name: &str, category: Option<&str>) -> Option<&'a DeclaredPart> {
    declared.parts.iter().find(|part| {
        let in_category = category.is_none_or(|category| part.categories.iter().any(|own| own == category));
        part.kind == kind && in_category && part.names.iter().any(|own| own == name)
    })
}

/// Whether an app does what Android needs somebody for.
fn does(declared: &Declared, need: &AndroidNeed) -> bool {
    let kind = match need.part {
        Some(NeedPart::Activity) => PartKind::Activity,
        Some(NeedPart::Service) => PartKind::Service,
        Some(NeedPart::Receiver) => PartKind::Receiver,
        Some(NeedPart::Provider) => PartKind::Provider,
        None => return false,
    };
    let by = need.by.as_deref();
    by.is_some_and(|by| part_of(declared, kind, by, need.category.as_deref()).is_some())
}

impl Upshot {
    /// What a tray does where these apps are installed before anything goes: what they can do is not missed.
    #[must_use]
    pub fn beside<'a>(mut self, newcomers: impl IntoIterator<Item = &'a Declared>, sdk: u32) -> Self {
        for declared in newcomers {
            for need in needs().iter().filter(|need| need.is_of(sdk) && does(declared, need)) {
                self.roles_emptied.remove(&need.name);
                self.lost.remove(&need.stops);
                // Of what the system dies without it is not known that any other would do.
                self.starts.retain(|_, loss| loss.class < 3 || loss.stops != need.stops);
            }
        }
        if self.start == StartOutlook::Unusable && self.starts.is_empty() {
            self.start = StartOutlook::Expected;
        }
        self
    }
}

/// A part as Android writes it: `PKG/.Class` where the class begins with the package's name. Source: `ComponentName`.
fn short(id: &PackageId, class: &str) -> String {
    let rest = class.strip_prefix(id.as_str()).filter(|rest| rest.starts_with('.'));
    format!("{id}/{}", rest.unwrap_or(class))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;

    fn declared(kind: PartKind, class: &str, name: &str, category: &[&str]) -> Declared {
        let part = DeclaredPart {
            kind,
            class: class.into(),
            names: vec![name.into()],
            categories: category.iter().map(|c| (*c).to_owned()).collect(),
            priority: 0,
            direct_boot: false,
            exported: true,
            in_system: false,
            guard: None,
        };
        Declared { read: true, parts: vec![part], ..Declared::default() }
    }

    #[test]
    fn what_can_do_it_takes_it_over() {
        let id = testing::id("fer.pellmoor.keys");
        let keys = declared(PartKind::Service, "fer.pellmoor.keys.Keys", KEYBOARD, &[]);
        let from = [
            Given::ChosenKeyboard("a.b/.C".into()),
            Given::Keyboard("a.b/.C".into()),
            Given::Role("android.app.role.SMS".into()),
            Given::Permission("android.permission.CAMERA".into()),
        ];
        let from: Vec<&Given> = from.iter().collect();
        let own = "fer.pellmoor.keys/.Keys".to_owned();
        assert_eq!(takes_over(&id, &keys, &from, 34), [Given::Keyboard(own.clone()), Given::ChosenKeyboard(own)]);
        assert_eq!(takes_over(&id, &keys, &[], 34), []);
        // A class of somebody else's name stays whole.
        let odd = declared(PartKind::Service, "org.x.Keys", KEYBOARD, &[]);
        assert_eq!(takes_over(&id, &odd, &from, 34)[0], Given::Keyboard("fer.pellmoor.keys/org.x.Keys".into()));
        let browser =
            declared(PartKind::Activity, "x.Y", "android.intent.action.VIEW", &["android.intent.category.BROWSABLE"]);
        let roles = [Given::Role("android.app.role.BROWSER".into()), Given::Role("android.app.role.HOME".into())];
        let roles: Vec<&Given> = roles.iter().collect();
        assert_eq!(takes_over(&id, &browser, &roles, 34), [roles[0].clone()]);
        let home = declared(
            PartKind::Activity,
            "fer.pellmoor.keys.Home",
            "android.intent.action.MAIN",
            &["android.intent.category.HOME"],
        );
        assert_eq!(takes_over(&id, &home, &roles, 34), [roles[1].clone()]);
        // What it can do is not missed, however many go that could.
        let lost = |stops: &str| (stops.to_owned(), [testing::id("a.b")].into());
        let loss = crate::plan::StartLoss { class: 3, stops: "the home screen".into() };
        let tray = Upshot {
            start: StartOutlook::Unusable,
            starts: [(testing::id("a.b"), loss)].into(),
            roles_emptied: ["browser".to_owned(), "sms".to_owned()].into(),
            lost: [lost("opening links"), lost("messages"), lost("the home screen")].into(),
            ..Upshot::default()
        };
        let beside = tray.beside([&home, &browser], 34);
        assert_eq!((beside.start, beside.starts.len()), (StartOutlook::Expected, 0));
        assert_eq!(beside.lost.keys().map(String::as_str).collect::<Vec<_>>(), ["messages"]);
        assert_eq!(beside.roles_emptied, ["sms".to_owned()].into());
        let old = Given::Home("a.b/.Old".into());
        assert_eq!(takes_over(&id, &home, &[&old], 26), [Given::Home("fer.pellmoor.keys/.Home".into())]);
    }
}
