//! Cache of what was read from APKs. Rows that cannot be read are skipped.

use std::collections::HashMap;
use std::sync::Arc;

use rusqlite::{Row, params};
use wibbet_core::package::{ApkFingerprint, AppFacts, Declared, HomeEntry};
use wibbet_types::{DeviceId, PlainText};

use crate::{Logbook, Result};

/// Files that are remembered; those of a few dozen builds.
const MOST: i64 = 60_000;

impl Logbook {
    /// What the APKs of a device of a build told in some languages, by what they are remembered by; of those that it has
    /// not told of, what two others have told alike. Whoever is on a network can say that they are of any build, so that
    /// one device alone does not name the packages of its like. `languages` is the list as it was written.
    pub fn apps(&self, build: &str, languages: &str, device: &DeviceId) -> Result<HashMap<ApkFingerprint, AppFacts>> {
        let sql = "SELECT path, size, time, version, label, locale, home, parts, overlay_of, libraries, trouble, \
                   declared, count(*), max(device = ?3) FROM apps WHERE build = ?1 AND languages = ?2 \
                   GROUP BY path, size, time, version, label, locale, home, parts, overlay_of, libraries, trouble, declared";
        let mut statement = self.connection.prepare_cached(sql).map_err(self.failed())?;
        let values = params![build, languages, device.as_str()];
        let rows = statement.query_map(values, |row| Ok((app(row)?, row.get::<_, i64>(12)?, row.get::<_, bool>(13)?)));
        let (mut own, mut others) = (HashMap::new(), HashMap::new());
        for row in rows.map_err(self.failed())? {
            let ((mark, facts), alike, is_own) = row.map_err(self.failed())?;
            if is_own {
                own.insert(mark, facts);
            } else {
                let told: &mut Vec<(i64, AppFacts)> = others.entry(mark).or_default();
                told.push((alike, facts));
            }
        }
        for (mark, mut told) in others {
            // Where they contradict each other none of them is believed.
            if let (Some((2.., facts)), true) = (told.pop(), told.is_empty()) {
                own.entry(mark).or_insert(facts);
            }
        }
        Ok(own)
    }

    /// Remembers what APKs of a device of a build told.
    pub fn note_apps(
        &mut self,
        build: &str,
        languages: &str,
        device: &DeviceId,
        apps: &[(ApkFingerprint, String, AppFacts)],
    ) -> Result<()> {
        let path = self.path.clone();
        let failed = |error| crate::LogbookError::from_sqlite(&path, error);
        let change = self.connection.transaction().map_err(failed)?;
        {
            let sql = "INSERT OR REPLACE INTO apps (path, size, time, version, build, languages, package, label, locale, \
                       home, parts, overlay_of, libraries, trouble, device, declared) \
                       VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15, ?16)";
            let mut insert = change.prepare_cached(sql).map_err(failed)?;
            for (mark, id, facts) in apps {
                let home: Vec<String> = facts
                    .home
                    .iter()
                    .map(|h| match &h.label {
                        Some(label) => format!("{}\t{label}", h.class),
                        None => h.class.to_string(),
                    })
                    .collect();
                let libraries: Vec<&str> = facts.libraries.iter().map(PlainText::as_str).collect();
                let values = params![
                    mark.path,
                    mark.size,
                    mark.time,
                    // Bit for bit: the numbers here have a sign.
                    mark.version as i64,
                    build,
                    languages,
                    id,
                    facts.label.as_ref().map(PlainText::as_str),
                    facts.locale.to_string(),
                    home.join("\n"),
                    facts.parts.map(|n| n.to_string()).join(" "),
                    facts.overlay_of.as_ref().map(wibbet_types::PackageId::as_str),
                    libraries.join("\n"),
                    facts.trouble.as_ref().map(PlainText::as_str),
                    device.as_str(),
                    facts.declared.to_string(),
                ];
                insert.execute(values).map_err(failed)?;
            }
            // Which of too many go does not matter: they can be read again.
            let count: i64 = change.query_row("SELECT count(*) FROM apps", [], |r| r.get(0)).map_err(failed)?;
            if count > MOST {
                change.execute("DELETE FROM apps WHERE build <> ?1", [build]).map_err(failed)?;
            }
        }
        change.commit().map_err(failed)
    }
}

fn app(row: &Row<'_>) -> rusqlite::Result<(ApkFingerprint, AppFacts)> {
    let text =
        |n| -> rusqlite::Result<Option<PlainText>> { Ok(row.get::<_, Option<String>>(n)?.map(|t| PlainText::new(&t))) };
    let version: i64 = row.get(3)?;
    let mark = ApkFingerprint { path: row.get(0)?, size: row.get(1)?, time: row.get(2)?, version: version as u64 };
    let home: String = row.get(6)?;
    let entry = |line: &str| {
        let (class, label) = line.split_once('\t').map_or((line, None), |(class, label)| (class, Some(label)));
        HomeEntry { class: PlainText::new(class), label: label.map(PlainText::new) }
    };
    let parts: String = row.get(7)?;
    let mut numbers = parts.split(' ').map(|n| n.parse().unwrap_or(0));
    let libraries: String = row.get(9)?;
    let facts = AppFacts {
        label: text(4)?,
        locale: row.get::<_, String>(5)?.parse().unwrap_or_default(),
        home: home.lines().map(entry).collect(),
        parts: std::array::from_fn(|_| numbers.next().unwrap_or(0)),
        overlay_of: row.get::<_, Option<String>>(8)?.and_then(|id| id.parse().ok()),
        libraries: libraries.lines().map(PlainText::new).collect(),
        trouble: text(10)?,
        declared: Arc::new(Declared::from_record(&row.get::<_, String>(11)?)),
    };
    Ok((mark, facts))
}
