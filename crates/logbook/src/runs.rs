//! Runs and their steps: written down before anything is sent, and whatever happens to each.

use rusqlite::{Connection, Row, TransactionBehavior, params};
use wibbet_core::device::DeviceFacts;
use wibbet_core::package::{Given, PackageState};
use wibbet_core::plan::{Change, Terms};
use wibbet_core::run::{Outcome, Run, RunKind, RunState, Step, StepEvent, StepState, Unasked};
use wibbet_types::{CopyId, DeviceId, DevicePath, PackageId, PlainText, RunId, StepIndex, Timestamp, UserId};

use crate::rows::{bad_value, lines, named, parsed, read_lines, understood};
use crate::{Logbook, LogbookError, Result, after, error, jobs, told};

/// A step that is about to be written down.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewStep {
    /// The package.
    pub id: PackageId,
    /// The user.
    pub user: UserId,
    /// The change.
    pub way: Change,
    /// The words that will go to the device.
    pub words: String,
    /// The state before the run.
    pub before: PackageState,
    /// Of a step that puts back: the state that it is to lead to, with the others of the run on the same package and user.
    pub target: Option<PackageState>,
    /// The APK on the device that is installed, where the change is of that kind.
    pub apk: Option<DevicePath>,
    /// The copy that is installed, where the change is of that kind.
    pub copy: Option<CopyId>,
    /// What people have given the package for the user, or what it is to be given again.
    pub given: Vec<Given>,
    /// It has no way back, and somebody has allowed it all the same.
    pub for_good: bool,
    /// What the start of the device loses with it, by class, as far as is known.
    pub start: Option<u8>,
    /// Why it is not going to be sent, if it is not.
    pub skip: Option<String>,
}

impl NewStep {
    /// A step that is to be sent, about which nothing more is to be said.
    pub fn new(id: PackageId, user: UserId, way: Change, words: String, before: PackageState) -> Self {
        Self {
            id,
            user,
            way,
            words,
            before,
            target: None,
            apk: None,
            copy: None,
            given: Vec::new(),
            for_good: false,
            start: None,
            skip: None,
        }
    }
}

impl Logbook {
    /// Writes a run down with all its steps, before any of them is sent. Its number.
    /// It is part of the job that is named, or else of the one that the device is at.
    pub fn begin_run(
        &mut self,
        device: &DeviceId,
        (kind, terms): (RunKind, &Terms),
        steps: &[NewStep],
        now: Timestamp,
    ) -> Result<RunId> {
        let path = self.path.clone();
        let failed = |error| LogbookError::from_sqlite(&path, error);
        let change = self.connection.transaction().map_err(failed)?;
        let made = (|| {
            change.execute(
                "INSERT INTO runs (serial, kind, state, begun, touched, on_refusal, order_name, names, missed) VALUES (?1, ?2, 'open', ?3, ?3, ?4, ?5, ?6, ?7)",
                params![device.as_str(), kind.name(), now.0, terms.on_refusal.to_string(), terms.order, told::names_text(&terms.names), told::missed_text(terms.missed.as_deref())],
            )?;
            let number = change.last_insert_rowid();
            match &terms.job {
                Some(job) => jobs::write(&change, number, job)?,
                None => jobs::take_at_hand(&change, number, device)?,
            }
            let mut insert = change.prepare(
                "INSERT INTO steps (run, place, package, user, way, words, before, state, outcome, remark, target, for_good, apk, given, copy, start_class) \
                 VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14, ?15, ?16)",
            )?;
            for (place, step) in steps.iter().enumerate() {
                let (state, outcome) = match step.skip {
                    Some(_) => (StepState::Settled, Some(Outcome::Skipped.name())),
                    None => (StepState::Waiting, None),
                };
                insert.execute(params![
                    number,
                    place as i64,
                    step.id.as_str(),
                    step.user.number(),
                    step.way.name(),
                    step.words,
                    step.before.to_string(),
                    state.name(),
                    outcome,
                    step.skip.as_deref().unwrap_or(""),
                    step.target.map(|target| target.to_string()),
                    step.for_good,
                    step.apk.as_ref().map(DevicePath::as_str),
                    lines(&step.given),
                    step.copy.map(CopyId::number),
                    step.start
                ])?;
            }
            drop(insert);
            change.commit()?;
            Ok(RunId::new(number))
        })();
        made.map_err(failed)
    }

    /// Writes down what happens to a step of a run. It has reached the disk when this returns. The event as it stands
    /// there: what is sent has got its place in the order of all that was sent.
    pub fn append(&mut self, run: RunId, index: StepIndex, event: &StepEvent) -> Result<StepEvent> {
        let mut kept = self.append_all(run, std::slice::from_ref(&(index, event.clone())))?;
        kept.pop().ok_or(LogbookError::NoSuchStep { run, index })
    }

    /// As [`Logbook::append`], for events of several steps, which are written together.
    ///
    /// # Errors
    /// [`LogbookError::NoSuchStep`] for a step that the run does not have; then nothing of it is written.
    pub fn append_all(&mut self, run: RunId, events: &[(StepIndex, StepEvent)]) -> Result<Vec<StepEvent>> {
        let path = self.path.clone();
        let failed = |error| LogbookError::from_sqlite(&path, error);
        // It reads before it writes: another program's write in between must not make it start over.
        let behavior = TransactionBehavior::Immediate;
        let change = self.connection.transaction_with_behavior(behavior).map_err(failed)?;
        let mut kept = Vec::with_capacity(events.len());
        for (index, event) in events {
            let event = append(&change, run, *index, event).map_err(failed)?;
            kept.push(event.ok_or(LogbookError::NoSuchStep { run, index: *index })?);
        }
        change.commit().map_err(failed)?;
        Ok(kept)
    }

    /// Writes down what a run changed for a user whom nobody had told it to change anything for: a step that was done and
    /// never sent, behind all others and latest in the order of what was sent. The step as it stands there.
    pub fn join(&mut self, run: RunId, unasked: &Unasked, now: Timestamp) -> Result<Step> {
        let path = self.path.clone();
        let failed = |error| LogbookError::from_sqlite(&path, error);
        let behavior = TransactionBehavior::Immediate;
        let change = self.connection.transaction_with_behavior(behavior).map_err(failed)?;
        let made = (|| {
            let place = next_place(&change, run)?;
            change.execute(
                "INSERT INTO steps (run, place, package, user, way, words, before, after, state, outcome, remark, given, settled, sent_order) \
                 VALUES (?1, ?2, ?3, ?4, ?5, '', ?6, ?7, ?8, ?9, ?10, '', ?11, (SELECT coalesce(max(sent_order), 0) + 1 FROM steps))",
                params![
                    run.number(),
                    place,
                    unasked.id.as_str(),
                    unasked.user.number(),
                    unasked.way.name(),
                    unasked.before.to_string(),
                    unasked.after.to_string(),
                    StepState::Settled.name(),
                    Outcome::Done.name(),
                    unasked.remark,
                    now.0,
                ],
            )?;
            change.execute(
                "UPDATE runs SET touched = max(touched, ?2) WHERE number = ?1",
                params![run.number(), now.0],
            )?;
            Ok(StepIndex::new(usize::try_from(place).unwrap_or(0)))
        })();
        let index = made.map_err(failed)?;
        let step = read_steps(&change, run, Some(index)).map_err(failed)?.0.pop();
        change.commit().map_err(failed)?;
        step.ok_or(LogbookError::NoSuchStep { run, index })
    }

    /// Writes down another way in the place of a step that was refused: a step that waits, behind all others. The step as it
    /// stands there.
    pub fn replace(&mut self, run: RunId, refused: StepIndex, way: Change, words: &str) -> Result<Step> {
        let path = self.path.clone();
        let failed = |error| LogbookError::from_sqlite(&path, error);
        let behavior = TransactionBehavior::Immediate;
        let change = self.connection.transaction_with_behavior(behavior).map_err(failed)?;
        let made = (|| {
            let place = next_place(&change, run)?;
            change.execute(
                "INSERT INTO steps (run, place, package, user, way, words, before, state, remark, given, for_good) \
                 SELECT run, ?3, package, user, ?4, ?5, coalesce(after, before), ?6, '', given, 0 \
                 FROM steps WHERE run = ?1 AND place = ?2",
                params![run.number(), refused.get() as i64, place, way.name(), words, StepState::Waiting.name()],
            )?;
            Ok(StepIndex::new(usize::try_from(place).unwrap_or(0)))
        })();
        let index = made.map_err(failed)?;
        let step = read_steps(&change, run, Some(index)).map_err(failed)?.0.pop();
        change.commit().map_err(failed)?;
        step.ok_or(LogbookError::NoSuchStep { run, index: refused })
    }

    /// A run has got so far.
    pub fn set_run_state(&self, run: RunId, state: RunState, now: Timestamp) -> Result<()> {
        let sql = "UPDATE runs SET state = ?2, touched = ?3 WHERE number = ?1";
        self.connection.execute(sql, params![run.number(), state.name(), now.0]).map_err(self.failed())?;
        Ok(())
    }

    /// The runs of a device, or of all, the latest first.
    pub fn runs(&self, device: Option<&DeviceId>) -> Result<Vec<Run>> {
        self.read_runs("?1 IS NULL OR serial = ?1", params![device.map(DeviceId::as_str)])
    }

    /// The runs of other devices of a device's model and build, the latest first.
    pub fn runs_of_its_like(&self, device: &DeviceFacts) -> Result<Vec<Run>> {
        let like = "serial IN (SELECT id FROM devices WHERE maker = ?1 AND model = ?2 AND build = ?3 AND id <> ?4)";
        let (maker, model) = (device.maker.as_str(), device.model.as_str());
        self.read_runs(like, params![maker, model, device.build.as_str(), device.id.as_str()])
    }

    /// The latest runs of all devices of a maker, the latest first; at most so many.
    pub fn runs_of_maker(&self, maker: &str, most: u32) -> Result<Vec<Run>> {
        let of = "number IN (SELECT number FROM runs WHERE serial IN (SELECT id FROM devices WHERE maker = ?1) \
                  ORDER BY number DESC LIMIT ?2)";
        self.read_runs(of, params![maker, most])
    }

    fn read_runs(&self, which: &str, values: &[&dyn rusqlite::ToSql]) -> Result<Vec<Run>> {
        let sql = format!(
            "SELECT number, serial, kind, state, begun, touched, on_refusal, figures_before, figures_after, order_name, names, missed, bench, bench_run, {} \
             FROM runs WHERE {which} ORDER BY number DESC",
            jobs::COLUMNS
        );
        let mut statement = self.connection.prepare_cached(&sql).map_err(self.failed())?;
        let rows = statement.query_map(values, |row| {
            let mut gaps = Vec::new();
            let kind = understood(named(row, 2, RunKind::from_name), &mut gaps)?;
            let state = understood(named(row, 3, RunState::from_name), &mut gaps)?;
            let on_refusal = understood(parsed(row, 6), &mut gaps)?;
            let Some(device) = understood(parsed(row, 1), &mut gaps)? else { return Ok(None) };
            Ok(Some(Run {
                number: RunId::new(row.get(0)?),
                device,
                kind: kind.unwrap_or(RunKind::Unknown),
                // Whatever it was, it is not said to be finished.
                state: state.unwrap_or(RunState::Stopped),
                begun: Timestamp(row.get(4)?),
                touched: Timestamp(row.get(5)?),
                steps: Vec::new(),
                on_refusal: on_refusal.unwrap_or_default(),
                order: row.get(9)?,
                names: told::read_names(&row.get::<_, String>(10)?),
                missed: told::read_missed(row.get::<_, Option<String>>(11)?.as_deref()),
                job: jobs::job_of(row, 14)?,
                // What cannot be read was not measured.
                figures: [after::figures_of(row, 7)?, after::figures_of(row, 8)?],
                seen_after: Vec::new(),
                taken_in: row.get::<_, Option<String>>(12)?.zip(row.get::<_, Option<i64>>(13)?.map(RunId::new)),
                not_understood: gaps,
            }))
        });
        let mut runs: Vec<Run> =
            rows.and_then(|rows| rows.filter_map(rusqlite::Result::transpose).collect()).map_err(self.failed())?;
        for run in &mut runs {
            let (steps, gaps) = read_steps(&self.connection, run.number, None).map_err(self.failed())?;
            run.steps = steps;
            run.not_understood.extend(gaps);
            run.seen_after = after::seen(&self.connection, run.number).map_err(self.failed())?;
        }
        Ok(runs)
    }

    /// One run.
    pub fn run(&self, number: RunId) -> Result<Option<Run>> {
        Ok(self.read_runs("number = ?1", params![number.number()])?.pop())
    }
}

/// The steps that are understood, and what of the others is not.
fn read_steps(
    connection: &Connection,
    run: RunId,
    index: Option<StepIndex>,
) -> rusqlite::Result<(Vec<Step>, Vec<String>)> {
    let sql = "SELECT place, package, user, way, words, before, state, answer, after, outcome, settled, remark, target, \
               for_good, coalesce(sent_order, 0), apk, given, returned, copy, start_class FROM steps \
               WHERE run = ?1 AND (?2 IS NULL OR place = ?2) ORDER BY place";
    let mut statement = connection.prepare_cached(sql)?;
    let mut rows = statement.query(params![run.number(), index.map(|index| index.get() as i64)])?;
    let (mut steps, mut gaps) = (Vec::new(), Vec::new());
    while let Some(row) = rows.next()? {
        let mut unclear = Vec::new();
        steps.extend(understood(step_of(row), &mut unclear)?);
        let place: i64 = row.get(0)?;
        gaps.extend(unclear.into_iter().map(|why| format!("step {}: {why}", place.saturating_add(1))));
    }
    Ok((steps, gaps))
}

/// Writes down what has happened to a step, as it is kept: what was sent has its place in the order then. `None` where the run has no such
/// step.
fn append(change: &Connection, run: RunId, index: StepIndex, event: &StepEvent) -> rusqlite::Result<Option<StepEvent>> {
    let found = read_steps(change, run, Some(index))?.0.pop();
    let Some(mut step) = found else { return Ok(None) };
    let mut event = event.clone();
    if let StepEvent::Sent { order, .. } = &mut event {
        let last = "SELECT coalesce(max(sent_order), 0) FROM steps";
        *order = change.query_row(last, [], |row| row.get::<_, i64>(0))?.saturating_add(1);
    }
    step.apply(&event);
    let (sent, answered) = match &event {
        StepEvent::Sent { at, .. } => (Some(at.0), None),
        StepEvent::Answered { at, .. } => (None, Some(at.0)),
        _ => (None, None),
    };
    let sql = "UPDATE steps SET before = ?3, state = ?4, answer = ?5, after = ?6, outcome = ?7, settled = ?8, remark = ?9, \
               tries = tries + (?10 IS NOT NULL), sent = coalesce(?10, sent), answered = coalesce(?11, answered), \
               sent_order = nullif(?12, 0), returned = ?13, copy = ?14 WHERE run = ?1 AND place = ?2";
    let values = params![
        run.number(),
        index.get() as i64,
        step.before.to_string(),
        step.state.name(),
        step.answer.as_ref().map(PlainText::as_str),
        step.after.map(|state| state.to_string()),
        step.outcome.map(Outcome::name),
        step.settled.map(|at| at.0),
        step.remark,
        sent,
        answered,
        step.order,
        step.returned.as_deref().map(lines),
        step.copy.map(CopyId::number)
    ];
    change.execute(sql, values)?;
    if let Some(at) = event.at() {
        change.execute("UPDATE runs SET touched = max(touched, ?2) WHERE number = ?1", params![run.number(), at.0])?;
    }
    Ok(Some(event))
}

/// The place behind all steps of a run.
fn next_place(connection: &Connection, run: RunId) -> rusqlite::Result<i64> {
    let sql = "SELECT coalesce(max(place), -1) + 1 FROM steps WHERE run = ?1";
    connection.query_row(sql, [run.number()], |row| row.get(0))
}

fn step_of(row: &Row<'_>) -> rusqlite::Result<Step> {
    let after: Option<String> = row.get(8)?;
    let outcome: Option<String> = row.get(9)?;
    let target: Option<String> = row.get(12)?;
    let apk: Option<String> = row.get(15)?;
    let apk = apk.map(|_| parsed(row, 15)).transpose()?;
    let way: Change = parsed(row, 3)?;
    if way == Change::InstallFactory && apk.is_none() {
        return Err(bad_value(15, error::UnknownWord("no APK".into())));
    }
    let copy = row.get::<_, Option<i64>>(18)?.map(CopyId::new);
    if way == Change::InstallCopy && copy.is_none() {
        return Err(bad_value(18, error::UnknownWord("no copy".into())));
    }
    Ok(Step {
        index: StepIndex::new(row.get::<_, i64>(0)?.try_into().unwrap_or(0)),
        id: parsed(row, 1)?,
        user: UserId::new(row.get(2)?),
        way,
        words: row.get(4)?,
        before: parsed(row, 5)?,
        state: named(row, 6, StepState::from_name)?,
        answer: row.get::<_, Option<String>>(7)?.map(|t| PlainText::new(&t)),
        after: after.map(|_| parsed(row, 8)).transpose()?,
        outcome: outcome.map(|_| named(row, 9, Outcome::from_name)).transpose()?,
        settled: row.get::<_, Option<i64>>(10)?.map(Timestamp),
        remark: row.get(11)?,
        target: target.map(|_| parsed(row, 12)).transpose()?,
        for_good: row.get(13)?,
        given: read_lines(row, 16)?.unwrap_or_default(),
        returned: read_lines(row, 17)?,
        order: row.get(14)?,
        apk,
        copy,
        start: row.get(19)?,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_full_disk_is_told_and_leaves_the_record_as_it_was() {
        let folder = tempfile::tempdir().unwrap();
        let mut book = Logbook::open(folder.path()).unwrap();
        // A limit on the file's pages is what SQLite makes of a disk that has no room.
        let pages: i64 = book.connection.query_row("PRAGMA page_count", [], |row| row.get(0)).unwrap();
        book.connection.query_row(&format!("PRAGMA max_page_count = {pages}"), [], |_| Ok(())).unwrap();
        let serial: DeviceId = "S".parse().unwrap();
        let step = |n: usize| {
            let id = format!("p{n}").parse().unwrap();
            NewStep::new(id, UserId::OWNER, Change::Disable, "w".repeat(1000), PackageState::IN_USE)
        };
        let steps: Vec<NewStep> = (0..100).map(step).collect();
        let error = book.begin_run(&serial, (RunKind::TakeOut, &Terms::default()), &steps, Timestamp(0)).unwrap_err();
        assert!(matches!(error, LogbookError::Full { .. }), "{error}");
        assert!(book.runs(None).unwrap().is_empty());
    }
}
