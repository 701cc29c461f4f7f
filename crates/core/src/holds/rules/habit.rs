//! What the person uses.

use super::Rule;
use crate::holds::graph::Graph;
use crate::holds::hold::{Found, Hold, HoldKind, Sure};
use crate::holds::known::{HoldSource, Known};
use crate::package::Given;

pub(super) const RULE: Rule =
    Rule { kind: HoldKind::Habit, doc: "the person has used it in the last thirty days, or has chosen it", find };

/// What was used longer ago than this is no habit, in days.
const LATELY: i64 = 30;

fn find(known: &Known<'_>, _: &Graph<'_>, found: &mut Found) {
    let used = known.metrics.usage.get(&known.user);
    for id in known.inventory.packages.keys().filter(|id| known.in_use(id)) {
        let mut add = |hold: Hold| found.entry(id.clone()).or_default().push(hold);
        let icon = known.names.apps.get(id).is_some_and(|app| !app.home.is_empty());
        let usage = used.and_then(|used| used.get(id)).filter(|usage| icon || usage.seconds > 0);
        if let (Some(last), Some(now)) = (usage.and_then(|usage| usage.last), known.metrics.now)
            && last.days_until(now) <= LATELY
        {
            let words = match last.days_until(now) {
                0 => "today".to_owned(),
                1 => "yesterday".to_owned(),
                days => format!("{days} days ago"),
            };
            let hold = Hold::new(HoldKind::Habit, "use", format!("used {words}"), Sure::Seen);
            add(hold.shown_by(HoldSource::Usage, format!("it was last used {words}")));
        }
        for given in known.chosen(id) {
            let (what, text) = match given {
                Given::ChosenKeyboard(_) => ("keyboard", "somebody has chosen it as the keyboard"),
                Given::Listener(_) => ("notifications", "somebody lets it read notifications"),
                _ => continue,
            };
            let hold = Hold::new(HoldKind::Habit, what, given.words(), Sure::Seen);
            add(hold.shown_by(HoldSource::Choices, text));
        }
    }
}
