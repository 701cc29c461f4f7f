//! What another package in use leans on.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::PackageId;

use super::Rule;
use crate::holds::graph::Graph;
use crate::holds::hold::{Evidence, Found, Hold, HoldKind, Sure};
use crate::holds::known::{HoldSource, Known, UsedBy};

pub(super) const RULE: Rule = Rule {
    kind: HoldKind::Need,
    doc: "another package in use says that it talks to it, or does so now, and nothing else answers to that name; or it was missed on \
          other devices of this model and build",
    find,
};

/// Packages that are named in evidence.
const MOST_NAMED: usize = 5;

fn find(known: &Known<'_>, graph: &Graph<'_>, found: &mut Found) {
    for id in known.inventory.packages.keys().filter(|id| known.in_use(id)) {
        for (name, who) in graph.leaning_on(id) {
            let words = if who.len() == 1 { "1 package".to_owned() } else { format!("{} packages", who.len()) };
            let mut named: Vec<&str> = who.iter().take(MOST_NAMED).map(|id| id.as_str()).collect();
            if who.len() > MOST_NAMED {
                named.push("and others");
            }
            let text = match name == id.as_str() {
                true => format!("named in the manifests of {}", named.join(", ")),
                false => format!("nothing else has {name}, which is asked for by {}", named.join(", ")),
            };
            let mut hold = Hold::new(HoldKind::Need, name, words, Sure::Inferred).shown_by(HoldSource::Manifests, text);
            hold.by = who.into_iter().cloned().collect();
            hold.lifted_by = Some("take out what leans on it first".into());
            found.entry(id.clone()).or_default().push(hold);
        }
    }
    bound(known, graph, found);
    for (id, elsewhere) in known.elsewhere.iter().filter(|(id, elsewhere)| known.in_use(id) && elsewhere.is_missed()) {
        let hold = Hold::new(HoldKind::Need, "elsewhere", "what was missed on other devices", Sure::Elsewhere);
        let hold = hold.shown_by(HoldSource::Logbook, elsewhere.words());
        found.entry(id.clone()).or_default().push(hold);
    }
}

/// Who is bound to its services and holds its providers open at the moment: that makes a need that was inferred one that was seen.
/// Where nobody said so in a manifest it is a need of its own, unless another package could answer in its place. The system
/// comes and goes with most of what there is: that it is there is evidence, and no hold.
fn bound(known: &Known<'_>, graph: &Graph<'_>, found: &mut Found) {
    let mut used: BTreeMap<(&PackageId, &str), BTreeSet<PackageId>> = BTreeMap::new();
    let mut by_system: BTreeMap<&PackageId, BTreeSet<&str>> = BTreeMap::new();
    for (id, class, by) in known.bindings() {
        match by {
            UsedBy::System => by_system.entry(id).or_default().insert(class),
            UsedBy::Package(by) => used.entry((id, class)).or_default().insert(by),
        };
    }
    let short = |class: &str| class.rsplit('.').next().unwrap_or(class).to_owned();
    for ((id, class), by) in used {
        let holds = found.entry(id.clone()).or_default();
        let names = by.iter().take(MOST_NAMED).map(|id| id.as_str()).collect::<Vec<_>>().join(", ");
        let text = format!("its {} is in use at the moment by {names}", short(class));
        let evidence = Evidence::new(HoldSource::Bindings, text);
        let mut told = false;
        for hold in holds.iter_mut().filter(|hold| hold.kind == HoldKind::Need && !hold.by.is_disjoint(&by)) {
            hold.sure = Sure::Seen;
            hold.evidence.push(evidence.clone());
            told |= by.is_subset(&hold.by);
        }
        let part = known.declared(id).and_then(|declared| declared.parts.iter().find(|part| part.class == class));
        let replaced = part.is_some_and(|part| {
            let others = |name: &String| graph.parts_named(name).any(|(other, part)| other != id && part.exported);
            part.names.iter().any(others)
        });
        if !told && !replaced {
            let words = if by.len() == 1 { "1 package".to_owned() } else { format!("{} packages", by.len()) };
            let mut hold = Hold::new(HoldKind::Need, short(class), words, Sure::Seen);
            hold.evidence.push(evidence);
            hold.by = by;
            hold.lifted_by = Some("take out what leans on it first".into());
            holds.push(hold);
        }
    }
    for (id, classes) in by_system {
        let classes: Vec<String> = classes.into_iter().take(MOST_NAMED).map(short).collect();
        let text = format!("the system itself uses it at the moment ({})", classes.join(", "));
        // The rules come in the order of their weight.
        let weighty = |hold: &&mut Hold| matches!(hold.kind, HoldKind::Start | HoldKind::Role);
        if let Some(hold) = found.get_mut(id).into_iter().flatten().find(weighty) {
            hold.evidence.push(Evidence::new(HoldSource::Bindings, text));
        }
    }
}
