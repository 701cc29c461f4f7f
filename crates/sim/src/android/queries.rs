//! Who answers which intents: `query-activities`, `query-services`, `query-receivers`, by what manifests declare. Data, types and
//! hosts of filters are not looked at.

use super::installed::InstalledPackage;
use super::output::Output;
use super::state::State;
use crate::catalogue::manifests::Element;

impl State {
    /// With `--brief` or `--components`. Disabled packages and those that are not installed for the user answer nothing, nor do
    /// parts that are off.
    pub(super) fn query(&self, command: &str, words: &[String]) -> Output {
        let after = |name: &'static str| {
            let at = words.iter().enumerate().filter(move |(_, word)| *word == name);
            at.filter_map(|(n, _)| words.get(n + 1)).map(String::as_str)
        };
        let user = after("--user").next().and_then(|u| u.parse().ok()).unwrap_or(0);
        let (element, kind, one) = match command {
            "query-services" => ("service", "services", "Service"),
            "query-receivers" => ("receiver", "receivers", "Receiver"),
            _ => ("activity", "activities", "Activity"),
        };
        let answers = |declared: &&Element| {
            declared.kind == element
                && after("-a").next().is_some_and(|action| declared.all("action").any(|own| own == action))
                && after("-c").all(|category| declared.all("category").any(|own| own == category))
        };
        let mut found: Vec<(i32, String)> = Vec::new();
        for (id, package) in self.packages.iter().filter(|(id, _)| self.here(id, user)) {
            for part in self.scenario.declared(id).into_iter().filter(answers) {
                if !package.has_off(&part.class, user) {
                    let priority = part.one("priority").and_then(|n| n.parse().ok()).unwrap_or(0);
                    found.push((priority, format!("{id}/{}", part.class)));
                }
            }
        }
        // As the system sorts them: what claims most first.
        found.sort_by_key(|(priority, _)| std::cmp::Reverse(*priority));
        if found.is_empty() {
            return Output::ok(format!("No {kind} found\n"));
        }
        if words.iter().any(|w| w == "--components") {
            return Output::ok(found.iter().map(|(_, name)| format!("{name}\n")).collect::<String>());
        }
        let brief = |(n, (priority, name)): (usize, &(i32, String))| {
            format!(
                "  {one} #{n}:\n    priority={priority} preferredOrder=0 match=0x108000 specificIndex=-1 isDefault=true\n    {name}\n"
            )
        };
        let all: String = found.iter().enumerate().map(brief).collect();
        Output::ok(format!("{} {kind} found:\n{all}", found.len()))
    }
}

impl InstalledPackage {
    /// Whether a part of it is off for a user otherwise than by its manifest.
    fn has_off(&self, class: &str, user: u32) -> bool {
        let full = if class.starts_with('.') { format!("{}{class}", self.data.id) } else { class.to_owned() };
        self.parts.get(&user).is_some_and(|[off, _]| off.contains(&full))
    }
}
