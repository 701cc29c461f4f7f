//! The table of packages as a file for machines.

use serde_json::{Map, Value, json};
use wibbet_core::catalog::{Attribute, Catalog, CatalogEntry, Column, Value as Known};
use wibbet_core::device::DeviceFacts;
use wibbet_core::run::Run;
use wibbet_types::{PackageId, UserId};

use super::json::{handed_on_as, time};

/// The form of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Form {
    /// RFC 4180.
    Csv,
    /// A list of objects.
    Json,
}

/// The columns of a file: with a state for each user.
fn heads(catalog: &Catalog, columns: &[Column], user: UserId) -> Vec<String> {
    let head = |column: &Column| match *column == Attribute::STATES {
        true => catalog.inventory.users_to_tell(Some(user)).map(|u| format!("state_{}", u.id)).collect(),
        false => vec![column.name.to_owned()],
    };
    columns.iter().flat_map(head).collect()
}

fn values<'a>(catalog: &Catalog, columns: &[Column], entry: &CatalogEntry<'a>) -> Vec<Option<Known<'a>>> {
    let value = |column: &Column| match *column == Attribute::STATES {
        true => {
            let state = |user: UserId| Some(Known::State(entry.package.condition(user)));
            catalog.inventory.users_to_tell(Some(entry.user)).map(|u| state(u.id)).collect()
        }
        false => vec![(column.get)(entry)],
    };
    columns.iter().flat_map(value).collect()
}

/// Writes some packages for a user. Sizes are in bytes, `idle` in days or `none`, `use` in seconds; what the device did
/// not tell is empty, in JSON null.
pub(crate) fn write(catalog: &Catalog, ids: &[PackageId], columns: &[Column], user: UserId, form: Form) -> String {
    let heads = heads(catalog, columns, user);
    let rows = ids.iter().filter_map(|id| catalog.entry(id, user)).map(|entry| values(catalog, columns, &entry));
    match form {
        Form::Csv => {
            // Quoted throughout, a value cannot begin a field of its own where a program parts fields by other signs.
            let mut writer = csv::WriterBuilder::new().quote_style(csv::QuoteStyle::Always).from_writer(Vec::new());
            // Writing into memory does not fail.
            let _ = writer.write_record(&heads);
            for row in rows {
                let _ = writer
                    .write_record(row.iter().map(|v| harmless(v.as_ref().and_then(Known::text).unwrap_or_default())));
            }
            let bytes = writer.into_inner().unwrap_or_default();
            String::from_utf8_lossy(&bytes).into_owned()
        }
        Form::Json => {
            let json = |value: &Known<'_>| match value.number() {
                Some(number) => Some(json!(number)),
                None => value.text().map(Value::String),
            };
            let object = |row: Vec<Option<Known<'_>>>| {
                let value = |v: Option<Known<'_>>| v.as_ref().and_then(json).unwrap_or(Value::Null);
                let pairs = heads.iter().zip(row).map(|(h, v)| (h.clone(), value(v)));
                Value::Object(pairs.collect::<Map<_, _>>())
            };
            let all: Vec<Value> = rows.map(object).collect();
            format!("{}\n", Value::Array(all))
        }
    }
}

/// Writes what is kept of devices, a line for each step. Serials are left out on wish.
pub(crate) fn logged(all: &[(DeviceFacts, Vec<Run>)], serials: bool) -> String {
    let mut writer = csv::WriterBuilder::new().quote_style(csv::QuoteStyle::Always).from_writer(Vec::new());
    // Writing into memory does not fail.
    let _ = writer.write_record([
        "device",
        "model",
        "run",
        "kind",
        "begun",
        "technician",
        "ticket",
        "customer",
        "order",
        "package",
        "name",
        "user",
        "way",
        "outcome",
        "remark",
    ]);
    for (n, (facts, runs)) in all.iter().enumerate() {
        let device = handed_on_as(facts, n, serials);
        for (run, step) in runs.iter().flat_map(|run| run.steps.iter().map(move |step| (run, step))) {
            let name = run.names.get(&step.id).map(ToString::to_string).unwrap_or_default();
            let outcome = step.outcome.map_or_else(String::new, |outcome| outcome.to_string());
            let fields = [
                device.clone(),
                facts.name(),
                run.number.to_string(),
                run.kind.to_string(),
                time(run.begun),
                run.job.technician.clone(),
                run.job.ticket.clone(),
                run.job.customer.clone(),
                run.order.clone(),
                step.id.to_string(),
                name,
                step.user.to_string(),
                step.way.to_string(),
                outcome,
                step.remark.clone(),
            ];
            let _ = writer.write_record(fields.map(harmless));
        }
    }
    String::from_utf8_lossy(&writer.into_inner().unwrap_or_default()).into_owned()
}

/// A program for tables takes what begins like a formula for one.
fn harmless(value: String) -> String {
    match value.chars().next() {
        Some('=' | '+' | '@' | '\t' | '\r' | '＝' | '＋' | '－' | '＠') => format!("'{value}"),
        Some('-') if value.parse::<f64>().is_err() => format!("'{value}"),
        _ => value,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeMap;
    use std::sync::Arc;

    use wibbet_core::device::UserKind;
    use wibbet_core::package::{AppFacts, AppNames, Note, PackageKind, Scope};
    use wibbet_core::testing;

    fn catalog(label: &str, note: &str) -> Catalog {
        let users = [0, 10].map(|n| testing::user(n, "x", UserKind::Owner));
        let package = testing::package("com.ostrel.notes", PackageKind::System, "", &[(0, testing::IN_USE)]);
        let id = package.id.clone();
        let facts = AppFacts { label: Some(label.into()), ..AppFacts::default() };
        let names = AppNames { apps: BTreeMap::from([(id.clone(), facts)]), ..AppNames::default() };
        let note = Note { id: id.clone(), scope: Scope::All, text: note.into(), star: false };
        Catalog {
            names: Arc::new(names),
            notes: Arc::new(BTreeMap::from([(id, vec![note])])),
            ..Catalog::new(Arc::new(testing::inventory(&users, [package])))
        }
    }

    fn written(label: &str, note: &str, form: Form) -> String {
        let catalog = catalog(label, note);
        let ids: Vec<PackageId> = catalog.inventory.packages.keys().cloned().collect();
        let columns = [Attribute::LABEL, Attribute::STATES, Attribute::SIZE, Attribute::NOTE];
        write(&catalog, &ids, &columns, UserId::OWNER, form)
    }

    #[test]
    fn commas_quotes_and_formulas_do_no_harm() {
        let head = "\"label\",\"state_0\",\"state_10\",\"size\",\"note\"\n";
        for (label, note, line) in [
            ("Notes", "", r#""Notes","in-use","unreadable","","""#),
            (r#"One, "two""#, "x", r#""One, ""two""","in-use","unreadable","","x""#),
            ("=1+1", "@x", r#""'=1+1","in-use","unreadable","","'@x""#),
            ("x;=1+1", "＝1", r#""x;=1+1","in-use","unreadable","","'＝1""#),
            ("-5", "-x", r#""-5","in-use","unreadable","","'-x""#),
        ] {
            assert_eq!(written(label, note, Form::Csv), format!("{head}{line}\n"));
        }
    }

    #[test]
    fn objects_have_numbers_and_nulls() {
        let text = written("42", "note", Form::Json);
        let all: Value = serde_json::from_str(&text).unwrap();
        assert_eq!(
            all,
            json!([{"label": "42", "state_0": "in-use", "state_10": "unreadable", "size": null, "note": "note"}])
        );
    }
}
