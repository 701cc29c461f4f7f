//! What a technician wrote down, and how the program was set up.

use rusqlite::{OptionalExtension as _, params};
use wibbet_core::device::DeviceFacts;
use wibbet_core::package::{Note, Scope};
use wibbet_core::plan::TrayItem;
use wibbet_types::{DeviceId, PlainText, Timestamp};

use crate::{Logbook, Result};

/// What a scope is about.
fn whose(scope: Scope, device: &DeviceFacts) -> String {
    match scope {
        Scope::Device => device.id.to_string(),
        Scope::Model => format!("{}\n{}", device.maker, device.model),
        Scope::All => String::new(),
    }
}

impl Logbook {
    /// The notes that hold for a device.
    pub fn notes(&self, device: &DeviceFacts) -> Result<Vec<Note>> {
        let mut notes = Vec::new();
        for scope in Scope::ALL {
            let sql = "SELECT package, text, star FROM notes WHERE scope = ?1 AND whose = ?2 ORDER BY package";
            let mut statement = self.connection.prepare_cached(sql).map_err(self.failed())?;
            let row = |row: &rusqlite::Row<'_>| Ok((row.get::<_, String>(0)?, row.get(1)?, row.get(2)?));
            let rows = statement.query_map(params![scope.word(), whose(scope, device)], row).map_err(self.failed())?;
            for row in rows {
                let (id, text, star) = row.map_err(self.failed())?;
                let text: String = text;
                let text = PlainText::new(&text).into_string();
                // What is not for a package is no note.
                notes.extend(id.parse().ok().map(|id| Note { id, scope, text, star }));
            }
        }
        Ok(notes)
    }

    /// Writes a note down, in place of the one of its scope; one without text and star is taken out.
    pub fn write_note(&self, device: &DeviceFacts, note: &Note, now: Timestamp) -> Result<()> {
        let (scope, whose) = (note.scope.word(), whose(note.scope, device));
        let done = if note.text.is_empty() && !note.star {
            let sql = "DELETE FROM notes WHERE package = ?1 AND scope = ?2 AND whose = ?3";
            self.connection.execute(sql, params![note.id.as_str(), scope, whose])
        } else {
            let sql = "INSERT OR REPLACE INTO notes (package, scope, whose, text, star, touched) \
                       VALUES (?1, ?2, ?3, ?4, ?5, ?6)";
            self.connection.execute(sql, params![note.id.as_str(), scope, whose, note.text, note.star, now.0])
        };
        done.map(|_| ()).map_err(self.failed())
    }

    /// How something was chosen.
    pub fn choice(&self, name: &str) -> Result<Option<String>> {
        let sql = "SELECT value FROM choices WHERE name = ?1";
        self.connection.query_row(sql, [name], |row| row.get(0)).optional().map_err(self.failed())
    }

    /// Remembers how something was chosen.
    pub fn choose(&self, name: &str, value: &str) -> Result<()> {
        let sql = "INSERT OR REPLACE INTO choices (name, value) VALUES (?1, ?2)";
        self.connection.execute(sql, [name, value]).map(|_| ()).map_err(self.failed())
    }

    /// What was chosen on a device and has not been sent. What of it is not understood is left out.
    pub fn tray(&self, device: &DeviceId) -> Result<Vec<TrayItem>> {
        let kept = self.choice(&format!("tray {device}"))?.unwrap_or_default();
        Ok(kept.lines().filter_map(|line| line.parse().ok()).collect())
    }

    /// Keeps what is chosen on a device.
    pub fn keep_tray(&self, device: &DeviceId, tray: &[TrayItem]) -> Result<()> {
        let lines: Vec<String> = tray.iter().map(ToString::to_string).collect();
        self.choose(&format!("tray {device}"), &lines.join("\n"))
    }
}
