//! Job sheets.

use serde::Serialize;
use wibbet_core::run::Run;
use wibbet_core::sheet::{Sheet, SheetPart};

#[derive(Serialize)]
struct JsonRow {
    name: String,
    id: String,
    what: String,
    why: String,
}

#[derive(Serialize)]
struct JsonBar {
    name: String,
    before: u64,
    after: u64,
}

/// A part of a sheet: its heading, and what is in it; the other lists are empty.
#[derive(Serialize, Default)]
struct JsonPart {
    title: String,
    facts: Vec<[String; 2]>,
    rows: Vec<JsonRow>,
    lines: Vec<String>,
    bars: Vec<JsonBar>,
}

/// A job sheet.
#[derive(Serialize)]
pub(crate) struct JobSheet {
    title: String,
    workshop: String,
    runs: Vec<i64>,
    parts: Vec<JsonPart>,
}

impl JobSheet {
    pub(crate) fn of(sheet: &Sheet, runs: &[Run]) -> Self {
        let part = |part: &SheetPart| match part.clone() {
            SheetPart::Facts(facts) => {
                let facts = facts.into_iter().map(|(name, value)| [name, value]).collect();
                Some(JsonPart { facts, ..JsonPart::default() })
            }
            SheetPart::Rows(title, rows) => {
                let row = |row: wibbet_core::sheet::SheetRow| JsonRow {
                    name: row.name,
                    id: row.id,
                    what: row.what,
                    why: row.why,
                };
                Some(JsonPart { title, rows: rows.into_iter().map(row).collect(), ..JsonPart::default() })
            }
            SheetPart::Lines(title, lines) => Some(JsonPart { title, lines, ..JsonPart::default() }),
            SheetPart::Bars(title, bars) => {
                let bar =
                    |bar: wibbet_core::sheet::Bar| JsonBar { name: bar.name, before: bar.before, after: bar.after };
                Some(JsonPart { title, bars: bars.into_iter().map(bar).collect(), ..JsonPart::default() })
            }
            SheetPart::Sign(_) => None,
        };
        Self {
            title: sheet.title.clone(),
            workshop: sheet.workshop.clone(),
            runs: runs.iter().map(|run| run.number.number()).collect(),
            parts: sheet.parts.iter().filter_map(part).collect(),
        }
    }
}
