//! What a manifest declares by which others find an app, and whom the app says that it talks to.

use std::fmt;

use wibbet_types::PackageId;

/// The kinds of parts by which an app is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum PartKind {
    /// A screen.
    Activity,
    /// Something that runs in the background.
    Service,
    /// Something that hears of events.
    Receiver,
    /// Something that hands out data.
    Provider,
}

/// Each kind with the letter of the record.
const KINDS: [(PartKind, &str); 4] =
    [(PartKind::Activity, "a"), (PartKind::Service, "s"), (PartKind::Receiver, "r"), (PartKind::Provider, "p")];

/// A part that others find by its actions or authorities.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DeclaredPart {
    /// What it is.
    pub kind: PartKind,
    /// Its class, in full.
    pub class: String,
    /// Its actions; of a provider its authorities.
    pub names: Vec<String>,
    /// The categories of its filters.
    pub categories: Vec<String>,
    /// The highest priority of its filters; below zero it is there only for when nobody else is.
    pub priority: i32,
    /// Whether it can be used before the device has been unlocked for the first time.
    pub direct_boot: bool,
    /// Whether others may call it.
    pub exported: bool,
    /// Whether it lives in the process of the system itself.
    pub in_system: bool,
    /// What others need to call it.
    pub guard: Option<String>,
}

/// What a manifest declares.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Declared {
    /// Whether the manifest was read at all. Otherwise nothing of the rest says anything.
    pub read: bool,
    /// It says of itself that it is a part of the core system.
    pub core_app: bool,
    /// The system keeps it running.
    pub persistent: bool,
    /// There is code in it.
    pub has_code: bool,
    /// It lives in the process of the system itself.
    pub in_system: bool,
    /// Parts by which it is found.
    pub parts: Vec<DeclaredPart>,
    /// Packages that it says it talks to.
    pub asks_packages: Vec<PackageId>,
    /// Actions that somebody is to answer to it.
    pub asks_actions: Vec<String>,
    /// Authorities of providers that it says it talks to.
    pub asks_authorities: Vec<String>,
    /// Of the framework and of what is laid over it: whom it names for parts of Android, each behind the name of the text that says
    /// so. `None` where that was not read.
    pub named: Option<Vec<(String, PackageId)>>,
}

/// Parts that are kept of a manifest.
const MOST_PARTS: usize = 1000;

/// What all names that are kept of a manifest may take, each counted as a few bytes more than it has. Of one that has more it is as if
/// it had not been read: what is left out could be what ties it.
const MOST_BYTES: usize = 96 << 10;

/// Names that are kept of a part, and of what is asked.
const MOST_NAMES: usize = 40;

/// Packages that are kept of what the framework names.
const MOST_NAMED: usize = 200;

/// The process of the system itself.
const SYSTEM_PROCESS: &str = "system";

/// Whether a text is a name as manifests have them: actions, authorities, classes, permissions.
fn is_name(text: &str) -> bool {
    let fits = |b: u8| b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_' | b'-' | b'$' | b':' | b'/');
    !text.is_empty() && text.len() <= 200 && text.bytes().all(fits)
}

fn names<'a>(texts: impl Iterator<Item = &'a str>) -> Vec<String> {
    let mut all: Vec<String> = texts.filter(|text| is_name(text)).take(MOST_NAMES).map(str::to_owned).collect();
    all.sort_unstable();
    all.dedup();
    all
}

impl Declared {
    /// Out of a manifest.
    pub fn of(manifest: &wibbet_apk::Manifest) -> Self {
        use wibbet_apk::ComponentKind as Kind;
        let in_system = |process: &Option<std::sync::Arc<str>>| process.as_deref() == Some(SYSTEM_PROCESS);
        let mut found = Self {
            read: true,
            core_app: manifest.core_app,
            persistent: manifest.persistent,
            has_code: manifest.has_code,
            in_system: in_system(&manifest.process),
            parts: Vec::new(),
            asks_packages: manifest.queries.packages.iter().filter_map(|id| id.parse().ok()).take(MOST_NAMES).collect(),
            asks_actions: names(manifest.queries.actions.iter().map(|text| &**text)),
            asks_authorities: names(manifest.queries.authorities.iter().flat_map(|text| text.split(';'))),
            named: None,
        };
        let mut bytes = 0;
        for component in manifest.components.iter().filter(|component| component.enabled) {
            let kind = match component.kind {
                Kind::Activity | Kind::Alias => PartKind::Activity,
                Kind::Service => PartKind::Service,
                Kind::Receiver => PartKind::Receiver,
                Kind::Provider => PartKind::Provider,
            };
            let actions = component.filters.iter().flat_map(|filter| &filter.actions).map(|text| &**text);
            let own = match kind {
                PartKind::Provider => names(component.authorities.as_deref().unwrap_or("").split(';')),
                // What every app may hear of makes it no part that others find.
                PartKind::Receiver if component.permission.is_none() => continue,
                _ => names(actions),
            };
            let is_in_system = in_system(&component.process);
            if (own.is_empty() && !is_in_system) || !is_name(&component.name) {
                continue;
            }
            let categories = component.filters.iter().flat_map(|filter| &filter.categories);
            let categories = names(categories.map(|text| &**text));
            bytes += component.name.len() + own.iter().chain(&categories).map(|name| name.len() + 32).sum::<usize>();
            if bytes > MOST_BYTES || found.parts.len() >= MOST_PARTS {
                return Self::default();
            }
            found.parts.push(DeclaredPart {
                kind,
                class: component.name.to_string(),
                names: own,
                categories,
                priority: component.filters.iter().map(|filter| filter.priority).max().unwrap_or(0),
                direct_boot: component.direct_boot,
                // Before it had to be said, what has a filter was.
                exported: component.exported.unwrap_or(!component.filters.is_empty() || kind == PartKind::Provider),
                in_system: is_in_system,
                guard: component.permission.as_deref().filter(|text| is_name(text)).map(str::to_owned),
            });
        }
        found
    }

    /// Takes in texts that name parts of Android: an id, several, or components in them. An empty one names nobody.
    pub(crate) fn name(&mut self, texts: &[(String, String)]) {
        let ids = |text: &str| -> Vec<PackageId> {
            let words = text.split([',', ';', '|', ' ']);
            words.filter_map(|word| word.split(['/', ':']).next()?.parse().ok()).collect()
        };
        let all = texts.iter().filter(|(name, _)| is_name(name));
        let all = all.flat_map(|(name, text)| ids(text).into_iter().map(|id| (name.clone(), id)));
        self.named = Some(all.take(MOST_NAMED).collect());
    }

    /// Whether any of its code runs in the process of the system itself.
    pub fn lives_in_system(&self) -> bool {
        self.in_system || self.parts.iter().any(|part| part.in_system)
    }
}

/// The record's form: a line of flags, then a line for each part and for what is asked. Nothing for what was not read.
impl fmt::Display for Declared {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if !self.read {
            return Ok(());
        }
        let flags = [(self.core_app, 'c'), (self.persistent, 'p'), (self.has_code, 'x'), (self.in_system, 's')];
        let flags: String = flags.iter().filter(|(on, _)| *on).map(|(_, letter)| *letter).collect();
        write!(f, "1 {flags}")?;
        for part in &self.parts {
            let kind = KINDS.iter().find(|(kind, _)| *kind == part.kind).map_or("", |(_, letter)| letter);
            let flags = [(part.direct_boot, 'b'), (part.exported, 'e'), (part.in_system, 's')];
            let flags: String = flags.iter().filter(|(on, _)| *on).map(|(_, letter)| *letter).collect();
            let (names, categories) = (part.names.join(","), part.categories.join(","));
            let guard = part.guard.as_deref().unwrap_or("");
            write!(f, "\n{kind}\t{}\t{names}\t{categories}\t{}\t{flags}\t{guard}", part.class, part.priority)?;
        }
        let packages: Vec<&str> = self.asks_packages.iter().map(PackageId::as_str).collect();
        write!(f, "\n?\t{}\t{}\t{}", packages.join(","), self.asks_actions.join(","), self.asks_authorities.join(","))?;
        let Some(named) = &self.named else { return Ok(()) };
        write!(f, "\nn\t")?;
        named.iter().try_for_each(|(name, id)| write!(f, "{name}={id},"))
    }
}

impl Declared {
    /// Reads the record's form; what is not of it is as if it had not been read.
    pub fn from_record(text: &str) -> Self {
        Self::read_record(text).unwrap_or_default()
    }

    fn read_record(text: &str) -> Option<Self> {
        let mut lines = text.lines();
        let flags = lines.next()?.strip_prefix("1 ")?;
        let has = |letter: char| flags.contains(letter);
        let mut found = Self {
            read: true,
            core_app: has('c'),
            persistent: has('p'),
            has_code: has('x'),
            in_system: has('s'),
            ..Self::default()
        };
        let list = |text: &str| names(text.split(','));
        for line in lines {
            let fields: Vec<&str> = line.split('\t').collect();
            match fields.as_slice() {
                ["n", named] => {
                    let pairs = named.split(',').filter_map(|pair| pair.split_once('='));
                    let pairs = pairs.filter(|(name, _)| is_name(name));
                    let pairs = pairs.filter_map(|(name, id)| Some((name.to_owned(), id.parse().ok()?)));
                    found.named = Some(pairs.take(MOST_NAMED).collect());
                }
                ["?", packages, actions, authorities] => {
                    found.asks_packages =
                        packages.split(',').filter_map(|id| id.parse().ok()).take(MOST_NAMES).collect();
                    (found.asks_actions, found.asks_authorities) = (list(actions), list(authorities));
                }
                [kind, class, own, categories, priority, flags, guard]
                    if is_name(class) && found.parts.len() < MOST_PARTS =>
                {
                    found.parts.push(DeclaredPart {
                        kind: KINDS.iter().find(|(_, letter)| letter == kind)?.0,
                        class: (*class).to_owned(),
                        names: list(own),
                        categories: list(categories),
                        priority: priority.parse().ok()?,
                        direct_boot: flags.contains('b'),
                        exported: flags.contains('e'),
                        in_system: flags.contains('s'),
                        guard: Some(*guard).filter(|text| is_name(text)).map(str::to_owned),
                    });
                }
                _ => return None,
            }
        }
        Some(found)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn keyboard() -> Declared {
        let part = DeclaredPart {
            kind: PartKind::Service,
            class: "com.ostrel.keys.Keys".into(),
            names: vec!["android.view.InputMethod".into()],
            categories: vec![],
            priority: -3,
            direct_boot: true,
            exported: true,
            in_system: false,
            guard: Some("android.permission.BIND_INPUT_METHOD".into()),
        };
        Declared {
            read: true,
            has_code: true,
            parts: vec![part],
            asks_packages: vec!["com.ostrel.words".parse().unwrap()],
            asks_authorities: vec!["user_dictionary".into()],
            ..Declared::default()
        }
    }

    #[test]
    fn what_is_remembered_is_what_was_read() {
        let mut framework = Declared { read: true, core_app: true, ..Declared::default() };
        let silent = framework.clone();
        let text = |name: &str, text: &str| (name.to_owned(), text.to_owned());
        framework.name(&[
            text("config_screen", "com.ostrel.front/com.ostrel.front.Service"),
            text("config_places", "com.ostrel.places;com.ostrel.maps:0a1b"),
            text("config_nobody", ""),
            text("no name", "com.ostrel.front"),
        ]);
        let named: Vec<String> = framework.named.iter().flatten().map(|(name, id)| format!("{name} {id}")).collect();
        assert_eq!(
            named,
            ["config_screen com.ostrel.front", "config_places com.ostrel.places", "config_places com.ostrel.maps"]
        );
        let empty = Declared { named: Some(vec![]), ..silent.clone() };
        for declared in [keyboard(), framework, silent, empty, Declared::default()] {
            assert_eq!(Declared::from_record(&declared.to_string()), declared);
        }
        for broken in ["", "2 x", "1 x\nz\ta\tb\tc\t0\t\t", "1 x\ns\ta\tb\tc\tmuch\t\t", "1 x\nelse"] {
            assert!(!Declared::from_record(broken).read, "{broken}");
        }
    }

    /// Whatever a manifest has, little is kept of it, and what is not kept is not taken for nothing.
    #[test]
    fn a_manifest_that_names_too_much_was_not_read() {
        use wibbet_apk::{Component, ComponentKind, Filter, Manifest};
        let manifest = |count: usize| Manifest {
            components: (0..count)
                .map(|n| Component {
                    kind: ComponentKind::Service,
                    name: format!("a.S{n}").into(),
                    label: None,
                    exported: Some(true),
                    enabled: true,
                    permission: None,
                    authorities: None,
                    target: None,
                    process: None,
                    direct_boot: false,
                    filters: vec![Filter { actions: vec![format!("a.action.A{n}").into()], ..Filter::default() }],
                    remarks: vec![],
                })
                .collect(),
            ..Manifest::default()
        };
        assert_eq!(Declared::of(&manifest(900)).parts.len(), 900);
        assert_eq!(Declared::of(&manifest(1001)), Declared::default());
        assert_eq!(Declared::of(&manifest(20_000)), Declared::default());
    }

    #[test]
    fn what_is_no_name_is_left_out() {
        use wibbet_apk::{Component, ComponentKind, Filter, Manifest};
        let component = |kind, name: &str, action: &str, permission: Option<&str>| Component {
            kind,
            name: name.into(),
            label: None,
            exported: None,
            enabled: true,
            permission: permission.map(Into::into),
            authorities: Some("one;two words;three".into()),
            target: None,
            process: None,
            direct_boot: false,
            filters: vec![Filter { actions: vec![action.into()], categories: vec!["c".into()], priority: 5 }],
            remarks: vec![],
        };
        let manifest = Manifest {
            components: vec![
                component(ComponentKind::Service, "a.S", "x\ty", None),
                component(ComponentKind::Service, "a.S", "x.y", None),
                component(ComponentKind::Receiver, "a.R", "x.y", None),
                component(ComponentKind::Receiver, "a.R", "x.y", Some("p")),
                component(ComponentKind::Provider, "a.P", "x.y", None),
            ],
            ..Manifest::default()
        };
        let found = Declared::of(&manifest);
        let seen: Vec<(PartKind, &[String])> = found.parts.iter().map(|p| (p.kind, p.names.as_slice())).collect();
        let own = |texts: &[&str]| texts.iter().map(|t| (*t).to_owned()).collect::<Vec<_>>();
        let (xy, authorities) = (own(&["x.y"]), own(&["one", "three"]));
        assert_eq!(
            seen,
            [(PartKind::Service, &xy[..]), (PartKind::Receiver, &xy[..]), (PartKind::Provider, &authorities[..])]
        );
        assert!(found.parts.iter().all(|part| part.exported && part.priority == 5));
    }

    proptest! {
        #[test]
        fn any_record_is_read(text in any::<String>(), at in 0usize..200) {
            Declared::from_record(&text);
            let whole = keyboard().to_string();
            let cut = &whole[..whole.floor_char_boundary(at)];
            let read = Declared::from_record(&format!("{cut}{text}"));
            // Whatever is believed can be written down and read again.
            prop_assert_eq!(&Declared::from_record(&read.to_string()), &read);
        }
    }
}
