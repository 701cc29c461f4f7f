//! The table of packages as a file for machines.

use serde_json::{Map, Value, json};
use wibbet_core::catalog::{Catalog, CatalogEntry, Column};
use wibbet_types::{PackageId, UserId};

/// The form of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Form {
    /// RFC 4180.
    Csv,
    /// A list of objects.
    Json,
}

/// The columns of a file: with a state for each user.
fn heads(sheet: &Catalog, columns: &[Column]) -> Vec<String> {
    let head = |column: &Column| match column {
        Column::States => sheet.inventory.users.iter().map(|u| format!("state_{}", u.id)).collect(),
        other => vec![other.name().to_owned()],
    };
    columns.iter().flat_map(head).collect()
}

fn values(sheet: &Catalog, columns: &[Column], sight: &CatalogEntry<'_>) -> Vec<Option<String>> {
    let value = |column: &Column| match column {
        Column::States => {
            let name = |user: UserId| Some(sight.package.state(user).condition().name().to_owned());
            sheet.inventory.users.iter().map(|u| name(u.id)).collect()
        }
        other => vec![other.value(sight)],
    };
    columns.iter().flat_map(value).collect()
}

/// Whether a value is a number, and stands without quotes in JSON.
fn typed(column: &str, value: String) -> Value {
    let numbers = ["size", "code", "data", "cache", "memory", "use", "target", "uid"];
    match value.parse::<i64>() {
        Ok(number) if numbers.contains(&column) => json!(number),
        _ => json!(value),
    }
}

/// Writes some packages for a user. Sizes are in bytes, `idle` in days or `never`, `use` in seconds; what the device did
/// not tell is empty, in JSON null.
pub(crate) fn write(sheet: &Catalog, ids: &[PackageId], columns: &[Column], user: UserId, form: Form) -> String {
    let heads = heads(sheet, columns);
    let rows = ids.iter().filter_map(|id| sheet.sight(id, user)).map(|sight| values(sheet, columns, &sight));
    match form {
        Form::Csv => {
            let mut writer = csv::Writer::from_writer(Vec::new());
            // Writing into memory does not fail.
            let _ = writer.write_record(&heads);
            for row in rows {
                let _ = writer.write_record(row.into_iter().map(|v| harmless(v.unwrap_or_default())));
            }
            let bytes = writer.into_inner().unwrap_or_default();
            String::from_utf8_lossy(&bytes).into_owned()
        }
        Form::Json => {
            let object = |row: Vec<Option<String>>| {
                let pairs = heads.iter().zip(row).map(|(h, v)| (h.clone(), v.map_or(Value::Null, |v| typed(h, v))));
                Value::Object(pairs.collect::<Map<_, _>>())
            };
            let all: Vec<Value> = rows.map(object).collect();
            format!("{}\n", Value::Array(all))
        }
    }
}

/// A program for tables takes what begins like a formula for one.
fn harmless(value: String) -> String {
    match value.chars().next() {
        Some('=' | '+' | '@' | '\t' | '\r') => format!("'{value}"),
        Some('-') if value.parse::<f64>().is_err() => format!("'{value}"),
        _ => value,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeMap;
    use std::sync::Arc;

    use wibbet_core::device::{User, UserKind};
    use wibbet_core::package::{AppFacts, AppNames, Inventory, Note, Package, PackageKind, PackageState, Scope};

    fn sheet(label: &str, note: &str) -> Catalog {
        let id: PackageId = "com.ostrel.notes".parse().unwrap();
        let users = [0, 10].map(|n| User {
            id: UserId::new(n),
            name: "x".into(),
            kind: UserKind::Owner,
            running: true,
            unlocked: None,
        });
        let states = BTreeMap::from([(UserId::OWNER, PackageState::IN_USE)]);
        let packages = BTreeMap::from([(id.clone(), Package::bare(id.clone(), PackageKind::System, states))]);
        let facts = AppFacts { label: Some(label.into()), ..AppFacts::default() };
        let names = AppNames { apps: BTreeMap::from([(id.clone(), facts)]), ..AppNames::default() };
        let note = Note { id: id.clone(), scope: Scope::All, text: note.into(), star: false };
        let inventory = Inventory { users: users.to_vec(), packages, gaps: Vec::new() };
        Catalog {
            names: Arc::new(names),
            notes: Arc::new(BTreeMap::from([(id, vec![note])])),
            ..Catalog::new(Arc::new(inventory))
        }
    }

    fn written(label: &str, note: &str, form: Form) -> String {
        let sheet = sheet(label, note);
        let ids: Vec<PackageId> = sheet.inventory.packages.keys().cloned().collect();
        let columns = [Column::Label, Column::States, Column::Size, Column::Note];
        write(&sheet, &ids, &columns, UserId::OWNER, form)
    }

    #[test]
    fn commas_quotes_and_formulas_do_no_harm() {
        let head = "label,state_0,state_10,size,note\n";
        for (label, note, line) in [
            ("Notes", "", "Notes,in-use,absent,,\n"),
            ("One, \"two\"", "x", "\"One, \"\"two\"\"\",in-use,absent,,x\n"),
            ("=1+1", "@x", "'=1+1,in-use,absent,,'@x\n"),
            ("-5", "-x", "-5,in-use,absent,,'-x\n"),
        ] {
            assert_eq!(written(label, note, Form::Csv), format!("{head}{line}"));
        }
    }

    #[test]
    fn objects_have_numbers_and_nulls() {
        let text = written("42", "note", Form::Json);
        let all: Value = serde_json::from_str(&text).unwrap();
        assert_eq!(
            all,
            json!([{"label": "42", "state_0": "in-use", "state_10": "absent", "size": null, "note": "note"}])
        );
    }
}
