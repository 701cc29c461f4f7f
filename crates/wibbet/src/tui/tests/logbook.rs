//! The logbook, and the job sheets out of it.

use super::*;
use wibbet_core::device::Figures;
use wibbet_core::diagnosis::{DriftKind, Life, LifePoint, Moment};
use wibbet_core::plan::Job;
use wibbet_core::sheet::SheetWords;
use wibbet_types::Timestamp;

use crate::config::PaperName;
use crate::export::sheet::SheetJob;
use crate::tui::app::LogRead;
use crate::tui::message::OnPaper;

/// Three runs, the latest first: one on another device, whose name the logbook knows, and two on the phone.
fn three_runs() -> Vec<Run> {
    let day = 86_400_000;
    let mut first = Run { number: RunId::new(1), begun: Timestamp(20 * day), ..run([Some(Outcome::Done); 3]) };
    first.job = Job { ticket: "P-77".into(), customer: "the harbour office".into(), ..Job::default() };
    first.names = [(testing::id("com.android.music"), PlainText::new("Music"))].into();
    first.missed = Some(vec![PlainText::new("stops: playing music")]);
    let figures = |count, free| Figures { in_use: [(UserId::OWNER, count)].into(), free: Some(free), memory: None };
    first.figures = [Some(figures(227, 60_000_000_000)), Some(figures(224, 60_200_000_000))];
    let outcomes = [Some(Outcome::Done), Some(Outcome::Refused), Some(Outcome::Done)];
    let second = Run { number: RunId::new(2), begun: Timestamp(20 * day + 3_600_000), ..run(outcomes) };
    let other = Run {
        number: RunId::new(3),
        device: "OS11-88-0402".parse().unwrap(),
        begun: Timestamp(21 * day),
        ..run([Some(Outcome::Done), Some(Outcome::Done), Some(Outcome::Unsettled)])
    };
    vec![other, second, first]
}

impl Screen {
    fn with_log(columns: u16, lines: u16) -> Self {
        let mut screen = Self::linked(columns, lines);
        screen.keys("5");
        let names = [("OS11-88-0402", "Ostrel Slate 11"), ("CT5-0417-2291", "Corvane Tarn 5")];
        let names = names.map(|(id, name)| (id.parse().unwrap(), name.to_owned())).into();
        update(&mut screen.model, Message::Log(Ok(LogRead { runs: three_runs(), names })));
        screen
    }
}

#[test]
fn runs_are_searched_put_together_and_told_of() {
    let mut screen = Screen::with_log(128, 40);
    insta::assert_snapshot!("logbook_128x40", screen.text());
    screen.keys("/harbour MUSIC\n");
    let text = screen.text();
    assert!(text.contains("1 of 3 runs found") && text.contains("P-77 · for the harbour office"), "{text}");
    for words in ["packages in use", "227", "224", "free space", "Stops: playing music"] {
        assert!(text.contains(words), "{words}\n{text}");
    }
    screen.keys("\x1b");
    assert!(screen.shows("3 runs."), "{}", screen.text());
    screen.keys("/slate\x1b");
    assert!(screen.shows("3 runs."), "leaving the line clears it: {}", screen.text());
    // By device: the one that was worked on last comes first, each is named once, and the cursor stays on its run.
    screen.keys("_");
    assert!(screen.shows("Run 2 ·"), "{}", screen.text());
    screen.keys(">");
    assert!(screen.shows("Run 2 ·"), "{}", screen.text());
    let text = screen.text();
    let list: Vec<&str> = text.lines().skip(3).filter_map(|line| line.split('│').next()).collect();
    let of = |words: &str| list.iter().filter(|line| line.contains(words)).count();
    assert_eq!((of("Corvane Tarn 5"), of("Ostrel Slate 11")), (1, 1), "{text}");
    // On small screens too.
    for (columns, lines) in [(100, 30), (80, 24), (58, 20), (46, 12)] {
        screen.model.app.size = (columns, lines);
        let text = screen.text();
        assert!(text.contains("3 runs.") && text.contains("take out"), "{columns}x{lines}\n{text}");
    }
}

#[test]
fn a_run_of_a_device_that_is_not_here_is_read_in_a_window() {
    let mut screen = Screen::with_log(100, 30);
    screen.keys("\n");
    let text = screen.text();
    for words in ["Run 3", "Ostrel Slate 11 · OS11-88-0402", "com.android.calendar · user 0 · done", "unsettled"] {
        assert!(text.contains(words), "{words}\n{text}");
    }
    screen.keys("\x1b_\n");
    assert_eq!((screen.model.app.view, screen.model.windows.len()), (View::Run, 0));
}

#[test]
fn a_job_sheet_is_looked_at_and_written() {
    let mut screen = Screen::with_log(100, 45);
    screen.keys("__J");
    assert!(screen.effects.contains(&Effect::ReadSheet(RunId::new(1))), "{:?}", screen.effects);
    assert!(screen.shows("The logbook is being read"), "{}", screen.text());
    let runs: Vec<Run> = three_runs().into_iter().skip(1).rev().collect();
    let job = SheetJob { facts: testing::facts(), runs, copies: Vec::new(), settings: Vec::new(), closed: None };
    let words = SheetWords { workshop: "Pellmoor Ferries".into(), ..SheetWords::default() };
    let read = Box::new((job, words));
    update(&mut screen.model, Message::Sheet(Ok(read.clone())));
    let text = screen.text();
    for words in ["Pellmoor Ferries", "CT5-0417-2291", "the harbour office", "Music", "removed", "What was not done"] {
        assert!(text.contains(words), "{words}\n{text}");
    }
    insta::assert_snapshot!("job_sheet_100x45", text);
    // Without what is nobody's business, of one run, on other paper.
    screen.keys("iul");
    assert!(!screen.shows("┃ Serial") && screen.shows("Job sheet · Letter"), "{}", screen.text());
    screen.keys("o");
    assert!(!screen.shows("What was not done"), "{}", screen.text());
    screen.effects.clear();
    screen.keys("p");
    let written = screen.effects.iter().find_map(|effect| match effect {
        Effect::WritePaper { of, paper, pdf, name } => Some((format!("{of:?}"), *paper, *pdf, name.clone())),
        _ => None,
    });
    let (sheet, paper, pdf, name) = written.unwrap_or_else(|| panic!("{:?}", screen.effects));
    assert_eq!((paper, pdf, name.as_str()), (PaperName::Letter, true, "job-sheet-run-1"));
    assert!(!sheet.contains("CT5-0417-2291") && !sheet.contains("227"), "{sheet}");
    assert!(screen.model.windows.is_empty(), "where it is stands below");
    screen.keys("J");
    update(&mut screen.model, Message::Sheet(Ok(read)));
    screen.effects.clear();
    screen.keys("v");
    let names: Vec<&String> = screen
        .effects
        .iter()
        .filter_map(|effect| match effect {
            Effect::WritePaper { pdf: false, name, .. } => Some(name),
            _ => None,
        })
        .collect();
    assert_eq!(names, ["job-sheet-corvane-tarn-5-1970-01-21"], "no serial in the name of a file");
    screen.keys("J");
    // What cannot be read closes it, and says why.
    update(&mut screen.model, Message::Sheet(Err("words.toml: line 1".into())));
    assert!(screen.model.windows.is_empty() && screen.shows("words.toml: line 1"), "{}", screen.text());
}

/// A device that shares its serial with another one is named by its id in the record.
#[test]
fn the_logbook_names_devices_by_their_ids() {
    let mut screen = Screen::linked(100, 30);
    let second = DeviceFacts { id: "CT5-0417-2291.2".parse().unwrap(), ..testing::facts() };
    screen.tell(SessionEvent::Facts(Box::new(second), Capabilities::new(34, DaemonFeatures::default())));
    let of = |id: &str, number| Run {
        device: id.parse().unwrap(),
        number: RunId::new(number),
        ..run([Some(Outcome::Done); 3])
    };
    let runs = vec![of("CT5-0417-2291.2", 2), of("CT5-0417-2291", 1)];
    screen.keys("5");
    update(&mut screen.model, log(runs));
    let text = screen.text();
    let line = |run: &str| text.lines().find(|line| line.contains(run)).unwrap();
    assert!(line("2 Corvane").contains("Corvane Tarn 5 · CT5-0417-2291.2"), "{text}");
    assert!(!line(" 1 CT5-0417-2291 ").contains("Corvane"), "another device's run\n{text}");
    // One that another version has written is not said to be finished.
    let gaps = vec!["step 1: “freeze” is not a way".to_owned()];
    let foreign = Run { not_understood: gaps, ..of("CT5-0417-2291.2", 3) };
    update(&mut screen.model, log(vec![foreign.clone()]));
    assert!(screen.shows("not all understood"), "{}", screen.text());
    screen.tell(SessionEvent::Runs(vec![foreign].into()));
    screen.keys("\n");
    let text = screen.text();
    assert!(text.contains("Another version of Wibbet wrote a part of this") && text.contains("freeze"), "{text}");
    assert!(!text.contains("finished") && !text.contains("can be carried on"), "{text}");
}

#[test]
fn the_life_of_a_device_is_told_from_the_top_down() {
    let mut screen = Screen::with_log(110, 30);
    screen.keys("L");
    assert!(screen.effects.contains(&Effect::ReadLife("OS11-88-0402".parse().unwrap())), "{:?}", screen.effects);
    let point = |at, what, in_use, on_break| LifePoint { at: Timestamp(at), what, in_use, on_break };
    let run = |number, not_done| Moment::Run { number: RunId::new(number), kind: RunKind::TakeOut, done: 12, not_done };
    let day = 86_400_000;
    let points = vec![
        point(0, Moment::Met, Some(236), false),
        point(3_600_000, run(7, 1), Some(224), false),
        point(day, Moment::BreakBegun, Some(236), true),
        point(2 * day, Moment::Updated(PlainText::new("CTN5.14.1103")), Some(238), true),
        point(2 * day, Moment::BreakEnded, Some(238), true),
        point(3 * day, Moment::Changed(vec![(DriftKind::CameBack, 2)]), Some(226), false),
    ];
    let life = Life { user: UserId::OWNER, points };
    update(&mut screen.model, Message::Life(Ok(Box::new((testing::facts(), life)))));
    insta::assert_snapshot!("life_110x30", screen.text());
    for (columns, lines) in [(80, 24), (46, 20), (20, 6)] {
        screen.model.app.size = (columns, lines);
        let text = screen.text();
        assert!(columns < 46 || text.contains("first look"), "{columns}x{lines}\n{text}");
    }
    screen.effects.clear();
    screen.keys("p");
    let written = screen.effects.iter().any(|effect| {
        matches!(effect, Effect::WritePaper { of: OnPaper::Life(_), pdf: true, name, .. } if name == "life-corvane-tarn-5")
    });
    assert!(written, "{:?}", screen.effects);
}
