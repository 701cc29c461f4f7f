//! What an order comes to on a device.

use std::collections::BTreeSet;
use std::fmt;

use wibbet_types::{PackageId, UserId};

use super::order::{Order, OrderItem, Otherwise, Users, Way, What};
use crate::android::Capabilities;
use crate::catalog::{Catalog, Chosen};
use crate::device::DeviceFacts;
use crate::holds::{HoldKind, Judgement};
use crate::package::{Condition, PackageState};
use crate::plan::{Change, TrayItem, first_way};
use crate::search::{Matcher, Search};

/// What becomes of a package of an order on a device, before anything is sent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Fate {
    /// It goes, in this way. The plan may still say why it is not sent.
    Goes(Change),
    /// It is so already.
    AlreadySo,
    /// The device does not have it, or not for this user.
    NotThere,
    /// The order leaves it alone.
    Left,
    /// A condition of the order is not met, or cannot be told; in words.
    NotMet(String),
    /// It is tied otherwise than where the order was made: what ties it here and did not there.
    TiedOtherwise(Vec<String>),
    /// A user that the order names is not on the device.
    NoSuchUser(String),
    /// Nothing here is what the item is about.
    FoundNothing,
}

impl Fate {
    /// The word for machines.
    pub fn name(&self) -> &'static str {
        match self {
            Self::Goes(_) => "goes",
            Self::AlreadySo => "already-so",
            Self::NotThere => "not-there",
            Self::Left => "left",
            Self::NotMet(_) => "not-met",
            Self::TiedOtherwise(_) => "tied-otherwise",
            Self::NoSuchUser(_) => "no-such-user",
            Self::FoundNothing => "found-nothing",
        }
    }
}

impl Fate {
    /// In a word or two.
    pub fn short(&self) -> &'static str {
        match self {
            Self::Goes(way) => way.label(),
            Self::AlreadySo => "is so already",
            Self::NotThere => "is not there",
            Self::Left | Self::NotMet(_) | Self::TiedOtherwise(_) => "stays",
            Self::NoSuchUser(_) => "no such user",
            Self::FoundNothing => "nothing found",
        }
    }

    /// Why, in words; nothing where that is said already.
    pub fn why(&self) -> Option<String> {
        match self {
            Self::Goes(_) | Self::AlreadySo | Self::NotThere | Self::FoundNothing => None,
            Self::Left => Some("the order says so".into()),
            Self::NotMet(why) => Some(why.clone()),
            Self::TiedOtherwise(holds) => Some(format!("tied otherwise: {}", holds.join("; "))),
            Self::NoSuchUser(who) => Some(format!("“{who}”")),
        }
    }
}

/// In words.
impl fmt::Display for Fate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.short())?;
        self.why().map_or(Ok(()), |why| write!(f, ": {why}"))
    }
}

/// One package of an order on a device, for a user.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AppliedLine {
    /// Which item of the order, from 0 on.
    pub item: usize,
    /// The package; `None` where the item found none.
    pub id: Option<PackageId>,
    /// The user; `None` where the order names one who is not there.
    pub user: Option<UserId>,
    /// What becomes of it.
    pub fate: Fate,
    /// Whether it has not been worked out what ties it: a difference would not have been seen.
    pub unjudged: bool,
}

/// What an order comes to on a device.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Applied {
    /// Why the order is not for this device; nothing where it is.
    pub speaks_against: Vec<String>,
    /// Each package for each user, in the order of the items.
    pub lines: Vec<AppliedLine>,
    /// What is told to go whatever the start loses with it.
    pub despite_start: BTreeSet<PackageId>,
}

impl Applied {
    /// What goes.
    pub fn tray(&self) -> Vec<TrayItem> {
        let item = |line: &AppliedLine| match (&line.id, line.user, &line.fate) {
            (Some(id), Some(user), Fate::Goes(way)) => Some(TrayItem { id: id.clone(), user, way: *way }),
            _ => None,
        };
        self.lines.iter().filter_map(item).collect()
    }

    /// How much is tied otherwise than where the order was made, and left for that.
    pub fn tied_otherwise(&self) -> usize {
        self.lines.iter().filter(|line| matches!(line.fate, Fate::TiedOtherwise(_))).count()
    }

    /// The lines of an item. Lines stand in the order of the items.
    pub fn of_item(&self, item: usize) -> std::ops::Range<usize> {
        let from = self.lines.partition_point(|line| line.item < item);
        from..self.lines.partition_point(|line| line.item <= item)
    }
}

/// What an order comes to on a device. `despite` goes however it is tied here.
///
/// What stands further up is taken for gone when a condition is looked at further down: of two keyboards that may each go unless
/// it is the last, one stays.
pub fn apply(
    order: &Order,
    catalog: &Catalog,
    facts: &DeviceFacts,
    capabilities: &Capabilities,
    despite: &BTreeSet<PackageId>,
) -> Applied {
    let mut work = Work {
        order,
        catalog,
        capabilities,
        despite,
        now: catalog.clone(),
        stale: false,
        gone: Vec::new(),
        decided: BTreeSet::new(),
        finder: Matcher::default(),
        applied: Applied { speaks_against: order.scope.speaks_against(facts), ..Applied::default() },
    };
    for (n, item) in order.items.iter().enumerate() {
        work.item(n, item);
    }
    work.applied
}

struct Work<'a> {
    order: &'a Order,
    /// The device as it is.
    catalog: &'a Catalog,
    capabilities: &'a Capabilities,
    despite: &'a BTreeSet<PackageId>,
    /// The device as it will be with what goes so far; see [`Work::as_it_will_be`].
    now: Catalog,
    /// Something has been chosen since that was worked out.
    stale: bool,
    gone: Vec<(PackageId, UserId, PackageState)>,
    decided: BTreeSet<(PackageId, UserId)>,
    finder: Matcher,
    applied: Applied,
}

impl Work<'_> {
    /// The device as it will be with what goes so far, as far as a search line needs that.
    fn as_it_will_be(&mut self, needs_holds: bool) -> &Catalog {
        if needs_holds && std::mem::take(&mut self.stale) {
            let judged = std::sync::Arc::clone(&self.now.judged);
            let mut new = self.catalog.as_if(self.gone.iter().map(|(id, user, state)| (id, *user, *state, &[][..])));
            // Only of whom something goes it has been worked out anew.
            let mut all = (*judged).clone();
            all.extend(new.judged.iter().map(|(user, judged)| (*user, judged.clone())));
            // What could not be told of a user before cannot be told now.
            all.retain(|user, _| self.catalog.judged.contains_key(user));
            new.judged = std::sync::Arc::new(all);
            self.now = new;
        }
        &self.now
    }

    fn item(&mut self, n: usize, item: &OrderItem) {
        let users: &Users = item.users.as_ref().unwrap_or(&self.order.users);
        let (users, missing) = users.on(&self.catalog.inventory);
        for choice in missing {
            let id = match &item.what {
                What::Package(id) => Some(id.clone()),
                What::Found(_) | What::Role(_) => None,
            };
            self.tell(n, id, None, Fate::NoSuchUser(choice.to_string()));
        }
        for user in users {
            let ids = self.meant(&item.what, user);
            if ids.is_empty() {
                self.tell(n, None, Some(user), Fate::FoundNothing);
            }
            for id in ids {
                // The first item that names it decides.
                if self.decided.insert((id.clone(), user)) {
                    let fate = self.fate(item, &id, user);
                    self.takes(item, &id, user, &fate);
                    self.tell(n, Some(id), Some(user), fate);
                }
            }
        }
    }

    /// The packages that an item is about, for a user.
    fn meant(&mut self, what: &What, user: UserId) -> Vec<PackageId> {
        match what {
            What::Package(id) => vec![id.clone()],
            What::Found(line) => {
                let search = Search::read_strict(line);
                let mut finder = std::mem::take(&mut self.finder);
                let now = self.as_it_will_be(search.asks_for_holds());
                let mut found = search.run(now, user, &Chosen::new(), &mut finder);
                found.retain(|id| now.inventory.condition(id, user) == Condition::InUse);
                found.sort();
                self.finder = finder;
                // What goes already was found by an item further up.
                found.retain(|id| !self.gone.iter().any(|(gone, of, _)| gone == id && *of == user));
                found
            }
            What::Role(role) => {
                let now = self.as_it_will_be(true);
                let holds_it = |judged: &Judgement| {
                    judged.holds.iter().any(|hold| hold.kind == HoldKind::Role && hold.what == *role)
                };
                let judged = now.judged.get(&user).into_iter().flat_map(|judged| &judged.packages);
                judged.filter(|(_, judged)| holds_it(judged)).map(|(id, _)| id.clone()).collect()
            }
        }
    }

    fn judgement(&self, id: &PackageId, user: UserId) -> Option<&Judgement> {
        self.catalog.judged.get(&user)?.packages.get(id)
    }

    fn fate(&mut self, item: &OrderItem, id: &PackageId, user: UserId) -> Fate {
        let inventory = &self.catalog.inventory;
        let state = inventory.state(id, user);
        let condition = inventory.condition(id, user);
        if condition == Condition::Absent {
            return Fate::NotThere;
        }
        let way = match item.way {
            Way::Leave => return Fate::Left,
            Way::By(way) => way,
            Way::Usual => first_way(self.judgement(id, user), self.capabilities),
        };
        // What is off already is nothing that a condition speaks of, and what is uninstalled is off in any way.
        if way.takes_out() && (way.is_met_by(state) || condition == Condition::Uninstalled) {
            return Fate::AlreadySo;
        }
        if let Some(why) = self.not_met(item, id, user) {
            return Fate::NotMet(why);
        }
        if let Some(there) = &item.holds
            && self.order.otherwise == Otherwise::Leave
            && !self.despite.contains(id)
        {
            let here = self.judgement(id, user).map_or_else(BTreeSet::new, Judgement::names);
            let new: Vec<String> = here.difference(there).cloned().collect();
            if !new.is_empty() {
                return Fate::TiedOtherwise(new);
            }
        }
        Fate::Goes(way)
    }

    /// The condition that is not met, in words.
    fn not_met(&mut self, item: &OrderItem, id: &PackageId, user: UserId) -> Option<String> {
        let conditions = [(&item.only_if, true), (&item.unless, false)];
        if conditions.iter().all(|(line, _)| line.is_none()) {
            return None;
        }
        let mut finder = std::mem::take(&mut self.finder);
        let mut why = None;
        for (line, wanted) in conditions {
            let Some(line) = line else { continue };
            let search = Search::read_strict(line);
            let now = self.as_it_will_be(search.asks_for_holds());
            why = match search.finds(now, id, user, &mut finder) {
                Some(found) if found == wanted => continue,
                Some(_) if wanted => Some(format!("not “{line}”")),
                Some(_) => Some(format!("“{line}”")),
                None => Some(format!("whether “{line}” is not known here")),
            };
            break;
        }
        self.finder = finder;
        why
    }

    /// Notes what goes, so that what comes after is judged without it.
    fn takes(&mut self, item: &OrderItem, id: &PackageId, user: UserId, fate: &Fate) {
        let Fate::Goes(way) = fate else { return };
        if item.despite_start {
            self.applied.despite_start.insert(id.clone());
        }
        if way.takes_out() {
            self.gone.push((id.clone(), user, way.leads_to(self.catalog.inventory.state(id, user))));
            self.stale = true;
        }
    }

    fn tell(&mut self, item: usize, id: Option<PackageId>, user: Option<UserId>, fate: Fate) {
        let unjudged = user.is_some_and(|user| !self.catalog.judged.contains_key(&user));
        self.applied.lines.push(AppliedLine { item, id, user, fate, unjudged });
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::device::UserKind;
    use crate::order::read_order;
    use crate::package::{AppFacts, AppNames, Declared, DeclaredPart, Metrics, PackageKind, PartKind, Source, Ties};
    use crate::testing;
    use proptest::prelude::*;
    use std::sync::Arc;

    const KEYBOARD: &str = "android.view.InputMethod";

    /// A phone: `tips` and `radio` (which leans on nothing), two keyboards, `old` that is uninstalled, a work profile with `tips`.
    fn catalog() -> Catalog {
        let users = [testing::user(0, "Crew", UserKind::Owner), testing::user(10, "", UserKind::Work)];
        let package = |text: &str, owner, work| {
            let bare = testing::package(text, PackageKind::System, "/system/app/x", &[(0, owner), (10, work)]);
            crate::package::Package { apk: "/system/app/x/x.apk".parse().ok(), ..bare }
        };
        let absent = PackageState::ABSENT;
        let packages = [
            package("com.a.tips", testing::IN_USE, testing::IN_USE),
            package("com.a.radio", testing::IN_USE, absent),
            package("com.a.keys", testing::IN_USE, absent),
            package("com.b.keys", testing::IN_USE, absent),
            package("com.a.old", testing::UNINSTALLED, testing::UNINSTALLED),
            package("com.a.off", testing::DISABLED, absent),
        ];
        let app = |id: &PackageId| {
            let part = DeclaredPart {
                kind: PartKind::Service,
                class: "S".into(),
                names: vec![KEYBOARD.to_owned()],
                categories: vec![],
                priority: 0,
                direct_boot: true,
                exported: true,
                in_system: false,
                guard: Some("android.permission.BIND_INPUT_METHOD".into()),
            };
            let parts = if id.as_str().ends_with(".keys") { vec![part] } else { Vec::new() };
            let declared = Declared { read: true, has_code: true, parts, ..Declared::default() };
            (id.clone(), AppFacts { declared: Arc::new(declared), ..AppFacts::default() })
        };
        let inventory = testing::inventory(&users, packages);
        let apps = inventory.packages.keys().map(app).collect();
        let mut catalog = Catalog::new(Arc::new(inventory));
        catalog.names = Arc::new(AppNames { apps, ..AppNames::default() });
        let empty = || [0, 10].map(|user| (UserId::new(user), Default::default()));
        catalog.metrics = Arc::new(Metrics { asked: Source::ALL.into(), usage: empty().into(), ..Metrics::default() });
        catalog.ties = Arc::new(Ties {
            accounts: Some([0, 10].map(|user| (UserId::new(user), Default::default())).into()),
            web_view_told: true,
            admins: Some(Default::default()),
            choices_told: true,
            ..Ties::default()
        });
        catalog.sdk = 34;
        catalog.judge([0, 10].map(UserId::new));
        catalog
    }

    fn told(items: &str, catalog: &Catalog) -> Vec<String> {
        let text = format!("[order]\nformat = 1\nname = \"x\"\nusers = \"all\"\n{items}");
        let order = read_order(&text).unwrap_or_else(|error| panic!("{text}: {error}"));
        let applied = apply(&order, catalog, &testing::facts(), &testing::capabilities(34), &BTreeSet::new());
        let line = |line: &AppliedLine| {
            let id = line.id.as_ref().map_or("-", PackageId::as_str);
            let user = line.user.map_or("-".to_owned(), |user| user.to_string());
            format!("{id} {user} {}", line.fate)
        };
        applied.lines.iter().map(line).collect()
    }

    #[test]
    fn what_becomes_of_each() {
        let catalog = catalog();
        let all = "[[item]]\nid = \"com.a.tips\"\n[[item]]\nid = \"com.a.old\"\nusers = \"owner\"\n[[item]]\nid = \"com.z.none\"\n\
                   users = [0, 12, \"Pier\"]\n[[item]]\nid = \"com.a.radio\"\nway = \"disable\"\n[[item]]\nid = \"com.a.off\"\nway = \"disable\"\nusers = 0";
        let all = all.replace("users = 0", "users = [0]");
        assert_eq!(
            told(&all, &catalog),
            [
                "com.a.tips 0 uninstall",
                "com.a.tips 10 uninstall",
                "com.a.old 0 is so already",
                "com.z.none - no such user: “12”",
                "com.z.none - no such user: “Pier”",
                "com.z.none 0 is not there",
                "com.a.radio 0 disable",
                "com.a.radio 10 is not there",
                "com.a.off 0 is so already",
            ]
        );
    }

    /// Of two keyboards that may each go unless it is the last, one stays; in whichever order they stand.
    #[test]
    fn what_stands_further_up_is_gone_already() {
        let catalog = catalog();
        for (first, second) in [("com.a.keys", "com.b.keys"), ("com.b.keys", "com.a.keys")] {
            let item = |id: &str| format!("[[item]]\nid = \"{id}\"\nusers = \"owner\"\nunless = \":last\"\n");
            let lines = told(&(item(first) + &item(second)), &catalog);
            assert!(lines[0].starts_with(&format!("{first} 0 ")) && !lines[0].contains("stays"), "{lines:?}");
            assert_eq!(lines[1], format!("{second} 0 stays: “:last”"));
        }
        let found =
            told("[[item]]\nsearch = \"keys\"\nusers = \"owner\"\nunless = \":last :role=keyboard\"\n", &catalog);
        assert_eq!(found.iter().filter(|line| line.contains("stays")).count(), 1, "{found:?}");
        // The one that is left is what does it.
        let both = told("[[item]]\nid = \"com.a.keys\"\n[[item]]\nrole = \"keyboard\"\nway = \"suspend\"\n", &catalog);
        assert!(both.contains(&"com.b.keys 0 suspend".to_owned()), "{both:?}");
    }

    #[test]
    fn the_first_item_that_names_it_decides() {
        let catalog = catalog();
        let lines = told(
            "[[item]]\nid = \"com.a.tips\"\nway = \"leave\"\nusers = \"owner\"\n[[item]]\nsearch = \"com.a !keys\"\nway = \"disable\"\n",
            &catalog,
        );
        assert_eq!(lines, ["com.a.tips 0 stays: the order says so", "com.a.radio 0 disable", "com.a.tips 10 disable"]);
        assert_eq!(told("[[item]]\nsearch = \"nobody\"\nusers = \"owner\"\n", &catalog), ["- 0 nothing found"]);
    }

    #[test]
    fn conditions_that_cannot_be_told_are_not_met() {
        let mut catalog = catalog();
        let lines = told("[[item]]\nid = \"com.a.tips\"\nusers = \"owner\"\nonly_if = \":free\"\n", &catalog);
        assert_eq!(lines, ["com.a.tips 0 uninstall"]);
        let unless = "[[item]]\nid = \"com.a.tips\"\nusers = \"owner\"\nunless = \":size>50M\"\n";
        assert_eq!(told(unless, &catalog), ["com.a.tips 0 stays: whether “:size>50M” is not known here"]);
        catalog.judged = Arc::default();
        let lines = told("[[item]]\nid = \"com.a.tips\"\nusers = \"owner\"\nonly_if = \":free\"\n", &catalog);
        assert_eq!(lines, ["com.a.tips 0 stays: whether “:free” is not known here"]);
    }

    #[test]
    fn what_is_tied_otherwise_stays() {
        let catalog = catalog();
        let item = "[[item]]\nid = \"com.a.keys\"\nway = \"uninstall\"\nusers = \"owner\"\nholds = []\n";
        // Neither keyboard is chosen, and each has the other: nothing ties them.
        assert_eq!(told(item, &catalog), ["com.a.keys 0 uninstall"]);
        let alone = format!("[[item]]\nid = \"com.b.keys\"\nusers = \"owner\"\n{item}");
        assert_eq!(
            told(&alone, &catalog)[1],
            "com.a.keys 0 uninstall",
            "that it is the last is what the plan's upshot says"
        );
        let gone = catalog.as_if([(&testing::id("com.b.keys"), UserId::OWNER, testing::UNINSTALLED, &[][..])]);
        let lines = told(item, &gone);
        assert!(lines[0].starts_with("com.a.keys 0 stays: tied otherwise: "), "{lines:?}");
        let text = format!("[order]\nformat = 1\nname = \"x\"\n{item}");
        let order = read_order(&text).unwrap();
        let despite = [testing::id("com.a.keys")].into();
        let applied = apply(&order, &gone, &testing::facts(), &testing::capabilities(34), &despite);
        assert_eq!(applied.tray().len(), 1);
        let order = Order { otherwise: Otherwise::TakeOut, ..order };
        let applied = apply(&order, &gone, &testing::facts(), &testing::capabilities(34), &BTreeSet::new());
        assert_eq!(applied.tray().len(), 1);
    }

    proptest! {
        /// Whatever is ordered, a package is decided once for each user, and nothing goes that is not there.
        #[test]
        fn each_is_decided_once(items in proptest::collection::vec((0..8_usize, 0..4_usize, 0..3_usize), 1..12)) {
            let whats = ["id = \"com.a.tips\"", "id = \"com.a.keys\"", "search = \"com.a\"", "search = \":free\"", "role = \"keyboard\"",
                "id = \"com.z.none\"", "search = \"!:off\"", "id = \"com.a.old\""];
            let ways = ["", "way = \"leave\"", "way = \"suspend\"", "way = \"uninstall\""];
            let conditions = ["", "unless = \":last\"", "only_if = \":free\""];
            let text: String = items
                .iter()
                .map(|(what, way, condition)| {
                    format!("[[item]]\n{}\n{}\n{}\n", whats[*what], ways[*way], conditions[*condition])
                })
                .collect();
            let order = read_order(&format!("[order]\nformat = 1\nname = \"x\"\nusers = \"all\"\n{text}")).unwrap();
            let catalog = catalog();
            let applied = apply(&order, &catalog, &testing::facts(), &testing::capabilities(34), &BTreeSet::new());
            let mut seen = BTreeSet::new();
            for line in applied.lines.iter().filter(|line| line.id.is_some()) {
                prop_assert!(seen.insert((line.id.clone(), line.user)), "{:?}", line);
            }
            for item in applied.tray() {
                prop_assert!(catalog.inventory.condition(&item.id, item.user) != Condition::Absent);
            }
        }
    }
}
