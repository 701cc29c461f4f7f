//! The rooms of every crate of the workspace stand in an order, and a room uses only those above it: no circle between
//! modules anywhere. Reads the `use` lines and paths of the sources; what tests use does not count.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// The rooms of a crate below a module, in order. What is in none of them may use all of them.
const ORDERS: [(&str, &str, &[&str]); 6] = [
    (
        "core",
        "",
        &[
            "android",
            "device",
            "link",
            "package",
            "ask",
            "read",
            "holds",
            "catalog",
            "search",
            "plan",
            "run",
            "diagnosis",
            "order",
            "sheet",
        ],
    ),
    ("report", "", &["font", "picture", "outlines", "document", "layout", "ties", "tray", "sheet", "life", "fleet"]),
    (
        "bench",
        "",
        &[
            "policy",
            "logbook",
            "around",
            "device",
            "workplace",
            "ops",
            "run",
            "after",
            "catch",
            "finder",
            "orders",
            "session",
            "fleet",
        ],
    ),
    ("sim", "", &["seed", "scenario", "catalogue", "apk", "line", "android", "machine", "daemon", "reach", "device"]),
    (
        "wibbet",
        "",
        &[
            "system", "exit", "out", "config", "fonts", "export", "demo", "tui", "sim", "score", "cli", "doctor",
            "papers", "start", "dispatch",
        ],
    ),
    (
        "wibbet",
        "tui",
        &[
            "widgets", "keys", "app", "message", "rooms", "windows", "model", "frame", "draw", "events", "update",
            "effects",
        ],
    ),
];

/// A crate's modules, each with those that it uses.
type Uses = BTreeMap<String, BTreeSet<String>>;

#[test]
fn arrows_point_one_way() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let mut wrong = Vec::new();
    let mut seen = 0;
    for folder in std::fs::read_dir(crates).unwrap() {
        let folder = folder.unwrap().path();
        let name = folder.file_name().unwrap().to_string_lossy().into_owned();
        let uses = uses_of(&folder.join("src"));
        seen += uses.len();
        wrong.extend(circles(&uses).into_iter().map(|edge| format!("{name}: {edge} is part of a circle")));
        for (_, below, rooms) in ORDERS.iter().filter(|(of, ..)| *of == name) {
            let room = |module: &str| {
                let inside = module.strip_prefix(below)?.trim_start_matches("::");
                rooms.iter().position(|room| Some(*room) == inside.split("::").next())
            };
            assert!((0..rooms.len()).all(|n| uses.keys().any(|module| room(module) == Some(n))), "{name}: {rooms:?}");
            for (from, to) in uses.iter().flat_map(|(from, all)| all.iter().map(move |to| (from, to))) {
                if room(from).zip(room(to)).is_some_and(|(from, to)| to > from) {
                    wrong.push(format!("{name}: {from} uses {to}, a room below it"));
                }
            }
        }
    }
    assert!(seen > 200, "the sources were found");
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// The check itself: a circle is found, and so is an arrow through a re-export.
#[test]
fn a_circle_is_found() {
    let of = |name: &str, text: &str| (name.to_owned(), without_tests(text));
    let modules = BTreeMap::from([
        of("", "mod a; mod b;"),
        of("a", "mod inner; pub use inner::Thing; // use crate::b::No;"),
        of("a::inner", "use crate::b::{self, Other}; pub struct Thing;"),
        of("b", "use crate::a::Thing; pub struct Other;\n#[cfg(test)]\nmod tests { use crate::c::No; }"),
    ]);
    let uses = resolved(&modules);
    assert_eq!(circles(&uses), ["a::inner -> b", "b -> a::inner"]);
    let free = BTreeMap::from([of("a", "use crate::b::Other;"), of("b", "let text = \"use crate::a::No;\";")]);
    assert!(circles(&resolved(&free)).is_empty());
}

fn uses_of(src: &Path) -> Uses {
    let mut modules = BTreeMap::new();
    collect(src, "", &mut modules);
    resolved(&modules)
}

fn collect(folder: &Path, module: &str, modules: &mut BTreeMap<String, String>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let stem = path.file_stem().unwrap().to_string_lossy().into_owned();
        let name = match stem.as_str() {
            "mod" | "lib" | "main" => module.to_owned(),
            _ if module.is_empty() => stem.clone(),
            _ => format!("{module}::{stem}"),
        };
        if path.is_dir() && stem != "tests" {
            collect(&path, &name, modules);
        } else if path.extension().is_some_and(|e| e == "rs") && !stem.ends_with("tests") {
            modules.insert(name, without_tests(&std::fs::read_to_string(&path).unwrap()));
        }
    }
}

/// The code without its tests, comments and texts.
fn without_tests(source: &str) -> String {
    let code = source.split("#[cfg(test)]\nmod tests").next().unwrap_or("");
    let lines = code.lines().map(|line| line.split("//").next().unwrap_or(""));
    let text = lines.collect::<Vec<_>>().join("\n");
    // Every other part between quotes is a text; good enough for what paths are written in.
    text.split('"').step_by(2).collect::<Vec<_>>().join("\"\"")
}

/// `a::{b, c::D as E}` as `a::b`, `a::c::D`.
fn flattened(prefix: &str, tree: &str, out: &mut Vec<String>) {
    let tree = tree.trim();
    let Some((before, inside)) = tree.split_once('{') else {
        let path = tree.split(" as ").next().unwrap_or("").trim();
        out.push(format!("{prefix}{path}"));
        return;
    };
    let inside = inside.trim_end().strip_suffix('}').unwrap_or(inside);
    let (mut depth, mut begun) = (0, 0);
    for (at, c) in inside.char_indices().chain([(inside.len(), ',')]) {
        match c {
            '{' => depth += 1,
            '}' => depth -= 1,
            ',' if depth == 0 => {
                if !inside[begun..at].trim().is_empty() {
                    flattened(&format!("{prefix}{}", before.trim()), &inside[begun..at], out);
                }
                begun = at + 1;
            }
            _ => {}
        }
    }
}

/// The paths of a source: those of its `use` lines, and others that begin in this crate. Whether each is given on.
fn paths(source: &str) -> Vec<(String, bool)> {
    let mut found = Vec::new();
    let mut rest = String::new();
    for part in source.split_inclusive(';') {
        let statement = part.trim_end_matches(';');
        let at = statement.rfind("use ").filter(|at| statement[..*at].ends_with(['\n', ' ', ')']) || *at == 0);
        match at {
            Some(at) if part.ends_with(';') && !statement[at..].contains(['(', '=']) => {
                let line = statement[..at].lines().last().unwrap_or("");
                let mut all = Vec::new();
                flattened("", &statement[at + 4..], &mut all);
                let given_on = line.trim_start().starts_with("pub");
                found.extend(all.into_iter().map(|path| (path, given_on)));
                rest.push_str(&statement[..at]);
            }
            _ => rest.push_str(part),
        }
    }
    let in_path = |c: char| c.is_alphanumeric() || c == '_' || c == ':';
    for word in rest.split(|c| !in_path(c)) {
        if ["crate::", "super::", "self::"].iter().any(|start| word.starts_with(start)) {
            found.push((word.trim_end_matches(':').to_owned(), false));
        }
    }
    found
}

fn resolved(modules: &BTreeMap<String, String>) -> Uses {
    // A path from the root of the crate; `None` for one that leads out of it.
    let absolute = |module: &str, path: &str| -> Option<Vec<String>> {
        let mut base: Vec<String> = module.split("::").filter(|m| !m.is_empty()).map(str::to_owned).collect();
        let mut parts = path.split("::").filter(|p| !p.is_empty() && *p != "*").peekable();
        match *parts.peek()? {
            "crate" => {
                base.clear();
                parts.next();
            }
            "self" => drop(parts.next()),
            "super" => {
                while parts.next_if_eq(&"super").is_some() {
                    base.pop();
                }
            }
            first => {
                let inner = [&base[..], &[first.to_owned()]].concat().join("::");
                if !modules.contains_key(&inner) {
                    return None;
                }
            }
        }
        base.extend(parts.filter(|p| *p != "self").map(str::to_owned));
        Some(base)
    };
    let mut given_on: BTreeMap<(String, String), Vec<String>> = BTreeMap::new();
    for (module, source) in modules {
        for (path, _) in paths(source).into_iter().filter(|(_, given_on)| *given_on) {
            if let Some(full) = absolute(module, &path)
                && let Some(name) = full.last()
            {
                given_on.insert((module.clone(), name.clone()), full.clone());
            }
        }
    }
    let lead = |mut path: Vec<String>| -> String {
        // Each re-export leads further in; a path that goes round is given up.
        for _ in 0..16 {
            let known = (0..=path.len()).rev().find(|n| modules.contains_key(&path[..*n].join("::"))).unwrap_or(0);
            let module = path[..known].join("::");
            let Some(name) = path.get(known) else { return module };
            match given_on.get(&(module.clone(), name.clone())) {
                Some(further) if *further != path => {
                    path = [&further[..], &path[known + 1..]].concat();
                }
                _ => return module,
            }
        }
        String::new()
    };
    let mut uses = Uses::new();
    for (module, source) in modules {
        let used = uses.entry(module.clone()).or_default();
        for (path, given_on) in paths(source) {
            if let Some(full) = absolute(module, &path).filter(|_| !given_on) {
                let to = lead(full);
                if to != *module && !to.is_empty() {
                    used.insert(to);
                }
            }
        }
    }
    uses
}

/// The edges that are part of a circle.
fn circles(uses: &Uses) -> Vec<String> {
    let reaches = |from: &String, to: &String| {
        let (mut seen, mut next) = (BTreeSet::new(), vec![from]);
        while let Some(at) = next.pop() {
            if at == to {
                return true;
            }
            if seen.insert(at) {
                next.extend(uses.get(at).into_iter().flatten());
            }
        }
        false
    };
    let edges = uses.iter().flat_map(|(from, all)| all.iter().map(move |to| (from, to)));
    edges.filter(|(from, to)| reaches(to, from)).map(|(from, to)| format!("{from} -> {to}")).collect()
}
