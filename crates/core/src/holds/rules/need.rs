//! What another package in use leans on.

use super::Rule;
use crate::holds::graph::Graph;
use crate::holds::hold::{Found, Hold, HoldKind, Sure};
use crate::holds::known::{HoldSource, Known};

pub(super) const RULE: Rule = Rule {
    kind: HoldKind::Need,
    doc: "another package in use says that it talks to it, and nothing else answers to that name",
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
}
