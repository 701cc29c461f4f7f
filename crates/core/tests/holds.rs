//! What ties packages: rules about rules, whatever the device.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use proptest::prelude::*;
use wibbet_core::device::{DeviceKind, UserKind};
use wibbet_core::holds::{Around, HoldKind, HoldSource, Judged, Known, Sure, Tie, UsedBy, Verdict, judge};
use wibbet_core::package::{
    AppFacts, AppNames, Binding, Declared, DeclaredPart, Elsewhere, Inventory, Metrics, Package, PackageKind, PartKind,
    ScreenLock, Source, Ties,
};
use wibbet_core::plan::{
    Change, Instead, Plan, SkipReason, StartLoss, StartOutlook, TrayItem, Upshot, plan_take_out, upshot,
};
use wibbet_core::testing::{IN_USE, capabilities, id, inventory, package, user};
use wibbet_types::{PackageId, UserId};

/// A made-up device: so many packages, each with what its manifest says.
struct Device {
    inventory: Inventory,
    names: AppNames,
    metrics: Metrics,
    ties: Ties,
    elsewhere: BTreeMap<PackageId, Elsewhere>,
}

fn name(n: usize) -> String {
    format!("com.maker{}.part{n:02}", n % 3)
}

impl Device {
    /// `answers` are packages with the names that they answer to, `asks` those with names that they ask for.
    fn of(count: usize, answers: &[(usize, &str)], asks: &[(usize, &str)]) -> Self {
        let packages = (0..count).map(|n| {
            let bare = package(&name(n), PackageKind::System, "/system/app/x", &[(0, IN_USE)]);
            Package { apk: "/system/app/x/x.apk".parse().ok(), ..bare }
        });
        let mut apps = BTreeMap::new();
        for n in 0..count {
            let part = |action: &str| DeclaredPart {
                kind: PartKind::Service,
                class: format!("{}.S", name(n)),
                names: vec![action.to_owned()],
                categories: vec![],
                priority: 0,
                direct_boot: false,
                exported: true,
                in_system: false,
                guard: Some("android.permission.BIND_INPUT_METHOD".into()),
            };
            let own = |list: &[(usize, &str)]| {
                list.iter().filter(|(who, _)| *who == n).map(|(_, name)| (*name).to_owned()).collect::<Vec<_>>()
            };
            let declared = Declared {
                read: true,
                has_code: true,
                parts: own(answers).iter().map(|action| part(action)).collect(),
                asks_actions: own(asks),
                ..Declared::default()
            };
            apps.insert(id(&name(n)), AppFacts { declared: Arc::new(declared), ..AppFacts::default() });
        }
        let ties = Ties {
            accounts: Some(BTreeMap::from([(UserId::OWNER, BTreeMap::new())])),
            web_view_told: true,
            admins: Some(BTreeMap::new()),
            choices_told: true,
            ..Ties::default()
        };
        let metrics = Metrics {
            asked: Source::ALL.into(),
            usage: BTreeMap::from([(UserId::OWNER, BTreeMap::new())]),
            ..Metrics::default()
        };
        Self {
            inventory: inventory(&[user(0, "Crew", UserKind::Owner)], packages),
            names: AppNames { apps, ..AppNames::default() },
            metrics,
            ties,
            elsewhere: BTreeMap::new(),
        }
    }

    fn known(&self) -> Known<'_> {
        Known {
            inventory: &self.inventory,
            names: &self.names,
            metrics: &self.metrics,
            ties: &self.ties,
            elsewhere: &self.elsewhere,
            sdk: 34,
            kind: DeviceKind::Phone,
            user: UserId::OWNER,
        }
    }

    fn judged(&self) -> Judged {
        judge(&self.known())
    }

    fn upshot(&self, tray: &[usize]) -> Upshot {
        let known = self.known();
        let items: Vec<(PackageId, Change)> = tray.iter().map(|n| (id(&name(*n)), Change::Uninstall)).collect();
        upshot(&known, &judge(&known), &items)
    }
}

const KEYBOARD: &str = "android.view.InputMethod";

#[test]
fn the_only_one_is_held_and_either_of_two_is_not() {
    let alone = Device::of(3, &[(0, KEYBOARD)], &[]);
    let judged = alone.judged();
    let first = &judged.packages[&id(&name(0))];
    assert!(first.has(HoldKind::Role) && first.verdict() == Verdict::Held);
    assert_eq!((first.stops().as_str(), first.holds[0].lifted_by.is_some()), ("typing", true));
    let second = &judged.packages[&id(&name(1))];
    assert_eq!((second.verdict(), second.stops().as_str()), (Verdict::Free, "nothing found"));

    let two = Device::of(3, &[(0, KEYBOARD), (1, KEYBOARD)], &[]);
    assert!(two.judged().packages.values().all(|one| !one.has(HoldKind::Role)));
    assert!(two.upshot(&[0]).is_quiet());
    let both = two.upshot(&[0, 1]);
    assert_eq!(both.roles_emptied, BTreeSet::from(["keyboard".to_owned()]));
    assert_eq!((both.start, both.instead.len()), (StartOutlook::Expected, 1));
}

#[test]
fn what_leans_on_what_is_lost_in_turn() {
    // 2 leans on 1, which leans on 0; 3 leans on either of 0 and 4.
    let device = Device::of(5, &[(0, "a"), (1, "b"), (0, "c"), (4, "c")], &[(1, "a"), (2, "b"), (3, "c")]);
    let judged = device.judged();
    let by = |n: usize| -> Vec<String> {
        judged.packages[&id(&name(n))].holds.iter().flat_map(|hold| &hold.by).map(ToString::to_string).collect()
    };
    assert_eq!((by(0), by(1), by(4)), (vec![name(1)], vec![name(2)], vec![]));
    let lost =
        |tray: &[usize]| -> Vec<String> { device.upshot(tray).needs_lost.keys().map(ToString::to_string).collect() };
    assert_eq!(lost(&[0]), [name(1), name(2)]);
    assert_eq!(lost(&[0, 4]), [name(3), name(1), name(2)]);
    assert_eq!(lost(&[0, 1, 2]), [""; 0], "nobody is left who would miss it");
}

/// From a package to those around it and back.
#[test]
fn what_stands_around_a_package() {
    let device = Device::of(5, &[(0, "a"), (0, "b"), (3, "b"), (1, "c")], &[(1, "a"), (1, "b"), (2, "b"), (0, "c")]);
    let known = device.known();
    let leans = judge(&known).leans;
    let around = Around::of(&leans, &id(&name(0)));
    let ends = |ties: &[Tie]| -> Vec<(String, String, usize)> {
        ties.iter().map(|tie| (tie.other.to_string(), tie.by.join(" "), tie.others)).collect()
    };
    assert_eq!(ends(&around.leaning), [(name(1), "a b".into(), 0), (name(2), "b".into(), 1)]);
    assert_eq!(ends(&around.leans), [(name(1), "c".into(), 0)]);
    // Whatever leads to a package leads back from it.
    for n in 0..5 {
        let here = Around::of(&leans, &id(&name(n)));
        for tie in &here.leans {
            let there = Around::of(&leans, &tie.other);
            assert!(there.leaning.iter().any(|back| back.other == here.id && back.by == tie.by));
        }
        assert_eq!(here.is_alone(), n == 4);
    }
}

/// Who was chosen is tied, whether or not its manifest shows by what.
#[test]
fn who_holds_a_role_is_never_free() {
    for given in ["role android.app.role.DIALER", "role android.app.role.SMS", "dialer", "home com.maker1.part01/.Home"]
    {
        let mut device = Device::of(3, &[], &[]);
        let package = device.inventory.packages.get_mut(&id(&name(1))).unwrap();
        Arc::make_mut(package).about.chosen.insert(UserId::OWNER, vec![given.parse().unwrap()]);
        let judged = device.judged();
        assert!(judged.packages[&id(&name(1))].has(HoldKind::Role), "{given}");
        assert_eq!(judged.packages[&id(&name(0))].verdict(), Verdict::Free);
    }
}

/// What the system looks for among its own parts, and before the first unlocking, is not lifted by an app that says the same.
#[test]
fn nobody_takes_the_place_of_what_the_start_needs() {
    const FUSED: &str = "com.android.location.service.FusedLocationProvider";
    let mut device = Device::of(3, &[(0, FUSED), (1, FUSED), (2, FUSED)], &[]);
    for n in 0..2 {
        let app = device.names.apps.get_mut(&id(&name(n))).unwrap();
        Arc::make_mut(&mut app.declared).parts[0].direct_boot = true;
    }
    Arc::make_mut(device.inventory.packages.get_mut(&id(&name(1))).unwrap()).kind = PackageKind::User;
    let judged = device.judged();
    let start = |n: usize| judged.packages[&id(&name(n))].start_class();
    assert_eq!((start(0), start(1), start(2)), (Some(2), None, None));
    assert_eq!(device.upshot(&[0]).start, StartOutlook::NotExpected);
}

/// What the start needs goes only where it was named, what nothing could mend never; neither of two that can do it is left out
/// by itself.
#[test]
fn a_plan_leaves_out_what_the_start_needs() {
    const HOME: &str = "android.intent.action.MAIN";
    let mut device = Device::of(4, &[(0, HOME), (1, HOME), (2, "one")], &[]);
    for n in 0..2 {
        let app = device.names.apps.get_mut(&id(&name(n))).unwrap();
        let part = &mut Arc::make_mut(&mut app.declared).parts[0];
        (part.kind, part.categories) = (PartKind::Activity, vec!["android.intent.category.HOME".into()]);
    }
    let plan = |tray: &[usize], despite: &[usize], fatal: Option<usize>| {
        let mut does = device.upshot(tray);
        if let Some(n) = fatal {
            does.starts.insert(id(&name(n)), StartLoss { class: 1, stops: "the package service".into() });
        }
        let item = |n: &usize| TrayItem { id: id(&name(*n)), user: UserId::OWNER, way: Change::Disable };
        let items: Vec<TrayItem> = tray.iter().map(item).collect();
        let despite = despite.iter().map(|n| id(&name(*n))).collect();
        plan_take_out(&device.inventory, &capabilities(34), &items, false)
            .minding_the_start(|id, _| does.starts.get(id).cloned(), &despite)
    };
    let skips = |plan: &Plan| plan.steps.iter().map(|step| step.skip).collect::<Vec<_>>();
    assert_eq!(skips(&plan(&[0, 2], &[], None)), [None, None]);
    let both = plan(&[0, 1, 2], &[], None);
    assert_eq!(skips(&both), [Some(SkipReason::Start(3)), Some(SkipReason::Start(3)), None]);
    assert_eq!(both.left_for_the_start().count(), 2);
    let named = plan(&[0, 1, 2], &[0, 1], None);
    assert_eq!(named.to_send(), 3);
    assert!(named.steps[0].start.as_ref().is_some_and(|start| start.class == 3 && !start.stops.is_empty()));
    let never = plan(&[2], &[2], Some(2));
    assert_eq!((skips(&never), never.left_for_the_start().count()), (vec![Some(SkipReason::Start(1))], 0));
}

/// Whoever the framework names is known by that, whatever it is called; what is laid over it has the last word while it is on.
#[test]
fn whoever_the_framework_names_is_tied() {
    let mut device = Device::of(5, &[], &[]);
    let bare = package("android", PackageKind::System, "/system/framework/framework-res.apk", &[(0, IN_USE)]);
    let framework = Package { apk: "/system/framework/framework-res.apk".parse().ok(), ..bare };
    device.inventory.packages.insert(id("android"), Arc::new(framework));
    let says = |pairs: &[(&str, usize)]| -> Arc<Declared> {
        let named = pairs.iter().map(|(text, n)| ((*text).to_owned(), id(&name(*n))));
        Arc::new(Declared { read: true, named: Some(named.collect()), ..Declared::default() })
    };
    let screen = "config_systemUIServiceComponent";
    let silent = Declared { read: true, ..Declared::default() };
    device.names.apps.insert(id("android"), AppFacts { declared: Arc::new(silent), ..AppFacts::default() });
    assert!(device.judged().unread.contains(&HoldSource::Framework), "nobody asked it");

    let all = says(&[(screen, 0), ("config_dozeComponent", 1), ("config_servicesExtensionPackage", 4)]);
    device.names.apps.get_mut("android").unwrap().declared = all;
    let judged = device.judged();
    assert!(judged.unread.is_empty(), "{:?}", judged.unread);
    let holds = |judged: &Judged, n: usize| -> Vec<(HoldKind, String, Option<u8>)> {
        judged.packages[name(n).as_str()].holds.iter().map(|hold| (hold.kind, hold.what.clone(), hold.class)).collect()
    };
    assert_eq!(holds(&judged, 0), [(HoldKind::Start, "system ui".to_owned(), Some(3))]);
    assert_eq!(holds(&judged, 1), [(HoldKind::Role, "sleeping screen".to_owned(), None)]);
    assert_eq!(holds(&judged, 4), [(HoldKind::Start, "package service".to_owned(), Some(1))]);

    // 2 is laid over it and names 3.
    let over = AppFacts { declared: says(&[(screen, 3)]), overlay_of: Some(id("android")), ..AppFacts::default() };
    device.names.apps.insert(id(&name(2)), over);
    assert_eq!(holds(&device.judged(), 0).len(), 1, "it is not on");
    let overlay = Arc::make_mut(device.inventory.packages.get_mut(name(2).as_str()).unwrap());
    overlay.about.chosen.insert(UserId::OWNER, vec!["overlay".parse().unwrap()]);
    let judged = device.judged();
    assert_eq!((holds(&judged, 0).len(), holds(&judged, 3).len()), (0, 1));
    assert_eq!(holds(&judged, 2), [(HoldKind::Role, "system ui".to_owned(), None)], "without it another one is named");
    assert!(judged.packages[name(3).as_str()].holds[0].evidence[0].text.contains("laid over the framework"));
    // One that was not read may name anybody.
    let named =
        std::mem::take(&mut Arc::make_mut(&mut device.names.apps.get_mut(name(2).as_str()).unwrap().declared).named);
    assert_eq!(device.judged().unread, [HoldSource::Framework]);
    Arc::make_mut(&mut device.names.apps.get_mut(name(2).as_str()).unwrap().declared).named = named;
    // What somebody has installed does not speak for the framework.
    Arc::make_mut(device.inventory.packages.get_mut(name(2).as_str()).unwrap()).kind = PackageKind::User;
    assert_eq!(holds(&device.judged(), 0).len(), 1);
}

/// However many say that they answer to one name, that takes neither time nor memory, and ties nobody.
#[test]
fn a_name_that_everybody_has_ties_nobody() {
    let answers: Vec<(usize, &str)> = (0..90).map(|n| (n, "common")).collect();
    let device = Device::of(90, &answers, &[(89, "common"), (88, "common")]);
    assert!(device.judged().packages.values().all(|one| !one.has(HoldKind::Need)));
    assert!(device.upshot(&(0..80).collect::<Vec<_>>()).needs_lost.is_empty());
}

#[test]
fn a_manifest_that_was_not_read_frees_nobody() {
    let mut device = Device::of(30, &[], &[]);
    assert!(device.judged().packages.values().all(|one| one.verdict() == Verdict::Free));
    let silence = |device: &mut Device, n: usize| {
        device.names.apps.insert(id(&name(n)), AppFacts::default());
    };
    silence(&mut device, 7);
    let judged = device.judged();
    let unread: Vec<&str> =
        judged.packages.iter().filter(|(_, one)| one.verdict() == Verdict::Unread).map(|(id, _)| id.as_str()).collect();
    assert_eq!(unread, [name(7)]);
    assert_eq!(device.upshot(&[7]).start, StartOutlook::NotKnown);
    // Too many of them could lean on anything.
    (8..12).for_each(|n| silence(&mut device, n));
    assert!(device.judged().packages.values().all(|one| one.verdict() == Verdict::Unread));
}

fn pairs() -> impl Strategy<Value = Vec<(usize, usize)>> {
    proptest::collection::vec((0usize..12, 0usize..6), 0..30)
}

/// Names that packages answer to and ask for; the first is that of a keyboard.
const NAMES: [&str; 6] =
    [KEYBOARD, "one", "two", "three", "android.net.INetworkStackConnector", "android.media.tv.TvInputService"];

fn named(pairs: &[(usize, usize)]) -> Vec<(usize, &'static str)> {
    pairs.iter().map(|(who, name)| (*who, NAMES[*name])).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Somebody more who leans on a package lifts no hold.
    #[test]
    fn one_more_who_leans_lifts_no_hold(answers in pairs(), asks in pairs(), more in (0usize..12, 0usize..6)) {
        let before = Device::of(12, &named(&answers), &named(&asks)).judged();
        let with: Vec<_> = asks.iter().copied().chain([more]).collect();
        let after = Device::of(12, &named(&answers), &named(&with)).judged();
        for (id, one) in &before.packages {
            for hold in &one.holds {
                let same = after.packages[id].holds.iter().find(|h| h.kind == hold.kind && h.what == hold.what);
                prop_assert!(same.is_some_and(|same| same.by.is_superset(&hold.by)), "{id}: {hold:?}");
            }
        }
    }

    /// A tray does at least what each part of it does, in whatever order.
    #[test]
    fn a_tray_does_what_its_parts_do(answers in pairs(), asks in pairs(), mut tray in proptest::collection::vec(0usize..12, 0..12)) {
        let device = Device::of(12, &named(&answers), &named(&asks));
        let whole = device.upshot(&tray);
        if let Some(missed) = whole.instead.iter().find(|way| matches!(way, Instead::Smaller(..))) {
            let ids: BTreeSet<String> = missed.ids().iter().map(ToString::to_string).collect();
            let rest: Vec<usize> = tray.iter().copied().filter(|n| !ids.contains(&name(*n))).collect();
            prop_assert!(!rest.is_empty() && device.upshot(&rest).is_quiet());
        }
        for cut in 0..tray.len() {
            let part = device.upshot(&tray[..cut]);
            prop_assert!(part.roles_emptied.is_subset(&whole.roles_emptied));
            prop_assert!(part.lost.keys().all(|what| whole.lost.contains_key(what)) && part.start <= whole.start);
            for (id, loss) in &part.starts {
                prop_assert!(whole.starts.get(id).is_some_and(|all| all.class <= loss.class));
            }
            for (id, from) in &part.needs_lost {
                // Whoever is in the tray as well misses nothing any more.
                let gone = tray.iter().any(|n| name(*n) == id.as_str());
                prop_assert!(gone || whole.needs_lost.get(id).is_some_and(|all| all.is_superset(from)));
            }
        }
        tray.reverse();
        // But for the order in which they go.
        let plain = |does: Upshot| Upshot { order: Vec::new(), ..does };
        prop_assert_eq!(plain(device.upshot(&tray)), plain(whole));
    }
}

/// What leans on something goes before that, whatever the order of the marks.
#[test]
fn what_leans_goes_first() {
    let device = Device::of(5, &[(0, "a"), (1, "b"), (3, "d"), (4, "e")], &[(1, "a"), (2, "b"), (3, "e"), (4, "d")]);
    let order = |tray: &[usize]| device.upshot(tray).order.iter().map(ToString::to_string).collect::<Vec<_>>();
    assert_eq!(order(&[0, 1, 2]), [name(2), name(1), name(0)]);
    assert_eq!(order(&[2, 0]), [name(2), name(0)]);
    assert_eq!(order(&[0, 2]), [name(0), name(2)], "what is between them stays");
    assert_eq!(order(&[4, 3, 0]), [name(0), name(4), name(3)], "a circle stays as it is, behind what is in none");
    let items: Vec<TrayItem> =
        [0, 1, 2].map(|n| TrayItem { id: id(&name(n)), user: UserId::OWNER, way: Change::Uninstall }).into();
    let does = device.upshot(&[0, 1, 2]);
    let plan = plan_take_out(&device.inventory, &capabilities(34), &items, true)
        .in_order(|id, _| does.order.iter().position(|own| own == id));
    assert_eq!(plan.steps.iter().map(|step| step.id.to_string()).collect::<Vec<_>>(), [name(2), name(1), name(0)]);
}

/// What avoids a part of it: keeping one of several, leaving out all that is missed, choosing somebody else first.
#[test]
fn what_avoids_a_part_of_it() {
    let device = Device::of(5, &[(0, KEYBOARD), (1, KEYBOARD), (2, "a")], &[(4, "a")]);
    let words: Vec<String> = device.upshot(&[0, 1, 2, 3]).instead.iter().map(Instead::words).collect();
    assert_eq!(words.len(), 2, "{words:?}");
    assert_eq!(words[0], format!("leave out {}: keyboard stays", name(0)));
    assert!(words[1].ends_with(": the other one goes, and nothing was found that would be missed"), "{}", words[1]);
    let one = Device::of(2, &[(0, KEYBOARD)], &[]);
    let first = one.upshot(&[0]).instead;
    assert!(matches!(&first[..], [Instead::First(_, _, Some("android.settings.INPUT_METHOD_SETTINGS"))]), "{first:?}");
    assert!(device.upshot(&[3]).instead.is_empty());
}

/// Behind a password the last keyboard that works before unlocking is what the start needs; behind digits it is not, and for a
/// profile, whose word nobody types, neither.
#[test]
fn a_password_has_to_be_typed() {
    let mut device = Device::of(3, &[(0, KEYBOARD), (1, KEYBOARD)], &[]);
    let early = |device: &mut Device, n: usize| {
        let app = device.names.apps.get_mut(&id(&name(n))).unwrap();
        Arc::make_mut(&mut app.declared).parts[0].direct_boot = true;
    };
    early(&mut device, 0);
    let class = |device: &Device| device.judged().packages[&id(&name(0))].start_class();
    for (lock, want) in [
        (None, None),
        (Some(ScreenLock::None), None),
        (Some(ScreenLock::Pin), None),
        (Some(ScreenLock::Pattern), None),
        (Some(ScreenLock::Password), Some(3)),
    ] {
        device.ties.locks = lock.map(|lock| (UserId::OWNER, lock)).into_iter().collect();
        assert_eq!(class(&device), want, "{lock:?}");
    }
    assert_eq!(device.upshot(&[0]).start, StartOutlook::Unusable);
    device.inventory.users[0].kind = UserKind::Work;
    assert_eq!(class(&device), None);
    device.inventory.users[0].kind = UserKind::Owner;
    early(&mut device, 1);
    assert_eq!(class(&device), None);
    assert_eq!(device.upshot(&[0, 1]).start, StartOutlook::Unusable);
}

/// Who is bound to a part now leans on it, whatever its manifest says; not where another could answer, nor where both are one.
#[test]
fn who_is_in_use_now_is_needed() {
    let mut device = Device::of(5, &[(0, "a"), (1, "b"), (2, "b")], &[(3, "a")]);
    for n in 0..5 {
        let package = device.inventory.packages.get_mut(&id(&name(n))).unwrap();
        Arc::make_mut(package).about.uid = Some(if n == 4 { 10_003 } else { 10_000 + n as u32 });
    }
    let binding = |of: usize, process: &str, app: u32| Binding {
        package: id(&name(of)),
        class: format!("{}.S", name(of)),
        process: process.to_owned(),
        app,
        user: UserId::OWNER,
    };
    device.ties.bindings = BTreeSet::from([
        binding(0, &format!("{}:remote", name(3)), 10_003),
        binding(1, &name(3), 10_003),
        binding(3, "odd", 10_000),
        binding(2, "system", 1000),
        // One that shares its user, and one that cannot be told apart.
        binding(4, &name(3), 10_003),
        binding(1, "odd", 10_003),
    ]);
    let judged = device.judged();
    let of = |n: usize| &judged.packages[&id(&name(n))];
    let needs = |n: usize| -> Vec<(Sure, Vec<String>)> {
        of(n).holds.iter().map(|h| (h.sure, h.by.iter().map(ToString::to_string).collect())).collect()
    };
    assert_eq!(needs(0), [(Sure::Seen, vec![name(3)])]);
    assert_eq!((needs(1), needs(2), needs(4)), (vec![], vec![], vec![]), "another answers b; the system is no hold");
    assert_eq!(needs(3), [(Sure::Seen, vec![name(0)])]);
    assert_eq!(device.upshot(&[3]).needs_lost, BTreeMap::from([(id(&name(0)), BTreeSet::from([id(&name(3))]))]));
    assert_eq!(of(2).used_by, BTreeSet::from([UsedBy::System]));
    assert_eq!(of(1).used_by, BTreeSet::from([UsedBy::Package(id(&name(3)))]));
    // What is seen at one moment adds, and what is not seen takes nothing away.
    device.ties.bindings.clear();
    assert_eq!(device.judged().packages[&id(&name(0))].holds.len(), 1);
}

/// What was missed on other devices is not free on this one.
#[test]
fn what_was_missed_elsewhere_is_held() {
    let mut device = Device::of(2, &[], &[]);
    for (taken_out, put_back, missed, held) in [(3, 2, 2, true), (3, 3, 0, false), (4, 1, 1, false), (1, 1, 1, true)] {
        device.elsewhere = BTreeMap::from([(id(&name(0)), Elsewhere { taken_out, put_back, missed })]);
        let judged = device.judged();
        let first = &judged.packages[&id(&name(0))];
        assert_eq!(first.verdict() == Verdict::Held, held, "{taken_out} {put_back} {missed}");
        let want = if held { "what was missed on other devices" } else { "nothing found" };
        assert_eq!(first.stops(), want);
        assert_eq!(device.upshot(&[0]).is_quiet(), !held);
        assert!(first.holds.iter().all(|hold| hold.sure == Sure::Elsewhere));
    }
}

/// Where a manifest could not be read the device's own answers say who does what.
#[test]
fn answers_stand_in_for_manifests() {
    let mut device = Device::of(12, &[(0, KEYBOARD)], &[]);
    device.names.apps.remove(&id(&name(1)));
    assert!(device.judged().packages[&id(&name(0))].has(HoldKind::Role));
    let both = BTreeSet::from([id(&name(0)), id(&name(1))]);
    device.ties.answers = BTreeMap::from([(UserId::OWNER, BTreeMap::from([("keyboard".to_owned(), both)]))]);
    assert!(!device.judged().packages[&id(&name(0))].has(HoldKind::Role));
    assert!(device.upshot(&[0, 1]).roles_emptied.contains("keyboard"));
    // What may have to work before unlocking is not taken for done by somebody of whom that is not known.
    device.ties.locks = BTreeMap::from([(UserId::OWNER, ScreenLock::Password)]);
    let app = device.names.apps.get_mut(&id(&name(0))).unwrap();
    Arc::make_mut(&mut app.declared).parts[0].direct_boot = true;
    assert_eq!(device.judged().packages[&id(&name(0))].start_class(), Some(3));
}
