//! Drawings, as a whole.

use std::collections::{BTreeMap, BTreeSet};

use proptest::prelude::*;
use wibbet_core::diagnosis::{LifePoint, Moment};
use wibbet_core::holds::{Around, Hold, HoldKind, Judgement, Sure, Tie};
use wibbet_core::order::OrderRecord;
use wibbet_core::plan::{Change, Instead, StartOutlook, Upshot};
use wibbet_core::run::{Outcome, Run, RunKind};
use wibbet_core::testing::{self, id};
use wibbet_report::{Document, Heading, Paper, Picture, Tone, ties, tray};
use wibbet_types::{PackageId, RunId, Timestamp, UserId};

fn heading() -> Heading {
    Heading { title: "What ties <Tides>".into(), below: "Corvane Tarn 5 & more".into(), foot: String::new() }
}

fn hold(kind: HoldKind, what: &str, stops: &str) -> Hold {
    Hold {
        kind,
        what: what.into(),
        stops: stops.into(),
        sure: Sure::Seen,
        class: None,
        evidence: Vec::new(),
        lifted_by: None,
        by: BTreeSet::new(),
        others: 0,
        last: false,
    }
}

fn tie(other: &str, by: &str, others: usize) -> Tie {
    Tie { other: id(other), by: vec![by.to_owned()], others }
}

/// The names that people know, one in each of several scripts.
fn label(id: &PackageId) -> Option<String> {
    let label = match id.as_str() {
        "fer.pellmoor.tides" => "Tides & Times",
        "fer.pellmoor.arabic" => "مخطط الرحلات",
        "fer.pellmoor.hebrew" => "ספינה",
        "fer.pellmoor.japanese" => "潮汐表",
        _ => return None,
    };
    Some(label.to_owned())
}

fn drawn() -> Document {
    let judgement = Judgement { holds: vec![hold(HoldKind::Role, "web view", "web content")], ..Judgement::default() };
    let around = Around {
        id: id("fer.pellmoor.tides"),
        leaning: vec![tie("fer.pellmoor.arabic", "fer.pellmoor.ASK", 0), tie("fer.pellmoor.japanese", "x", 2)],
        leans: vec![tie("fer.pellmoor.hebrew", "fer.pellmoor.GIVE", 0)],
    };
    ties(&heading(), [(&around.id, &judgement, &around)], &label)
}

/// All texts are in the SVG to be found, and no label in a script that the fonts lack.
#[test]
fn what_an_svg_says() {
    let svg = drawn().svg().unwrap();
    for words in [
        "What ties &lt;Tides&gt;",
        "Tides &amp; Times",
        "fer.pellmoor.tides",
        "مخطط الرحلات",
        "ספינה",
        "fer.pellmoor.japanese",
        "2 lean on it",
        "it leans on 1",
        "role · web view (seen)",
        "Without it stops: web content",
        "stroke-dasharray",
    ] {
        assert!(svg.contains(words), "{words}");
    }
    assert!(!svg.contains("潮汐表"));
    // What is seen hangs on no font of the computer.
    assert!(!svg.contains("DejaVu") && svg.contains("<path d=\"M"), "letters are outlines");
    assert_eq!(svg, drawn().svg().unwrap(), "the same every time");
    // Letters are kept once: a drawing of many packages stays small.
    let many: Vec<(PackageId, Judgement, Around)> = (0..40)
        .map(|n| {
            let own = id(&format!("fer.pellmoor.app{n}"));
            (own.clone(), Judgement::default(), Around { id: own, leaning: vec![], leans: vec![] })
        })
        .collect();
    let many = ties(&heading(), many.iter().map(|(id, j, a)| (id, j, a)), &label);
    assert!(many.pages.len() > 5 && many.svg().unwrap().len() < 2_000_000);
}

/// A page each, with the fonts and no other in the file, and letters that can be told by whoever reads it aloud.
#[test]
fn what_a_pdf_holds() {
    let pdf = drawn().pdf().unwrap();
    let text = String::from_utf8_lossy(&pdf);
    assert!(pdf.starts_with(b"%PDF-1.") && text.trim_end().ends_with("%%EOF"));
    assert!(text.contains("+DejaVuSans") && text.contains("/FontFile2") && text.contains("/ToUnicode"));
    assert!(text.contains("/Count 1"));
    let two = Document { pages: drawn().pages.into_iter().chain(drawn().pages).collect(), ..drawn() };
    assert!(String::from_utf8_lossy(&two.pdf().unwrap()).contains("/Count 2"));
}

/// Long lists go on over pages, and what has no room on a side is counted.
#[test]
fn much_is_drawn_on_several_pages() {
    let around = Around {
        id: id("fer.pellmoor.tides"),
        leaning: (0..30).map(|n| tie(&format!("fer.pellmoor.app{n}"), "a", 0)).collect(),
        leans: vec![],
    };
    let holds = (0..30).map(|n| hold(HoldKind::Need, &format!("action {n}"), "something long ".repeat(9).trim()));
    let judgement = Judgement { holds: holds.collect(), ..Judgement::default() };
    let all = [(&around.id, &judgement, &around); 3];
    let drawn = ties(&heading(), all, &label);
    assert_eq!(drawn.pages.len(), 3);
    let svg = drawn.svg().unwrap();
    assert!(svg.contains("and 18 more") && svg.contains("3 / 3"));
}

#[test]
fn what_a_tray_does_is_drawn() {
    let (keys, tides, days) = (id("com.corvane.keyboard"), id("fer.pellmoor.tides"), id("com.android.calendar"));
    let upshot = Upshot {
        start: StartOutlook::Unusable,
        starts: BTreeMap::new(),
        roles_emptied: BTreeSet::from(["keyboard".to_owned()]),
        needs_lost: BTreeMap::from([(days.clone(), BTreeSet::from([tides.clone()]))]),
        accounts_lost: BTreeMap::from([(tides.clone(), 2)]),
        lost: BTreeMap::from([("typing".to_owned(), BTreeSet::from([keys.clone()]))]),
        data_bytes: Some(51_000_000),
        code_bytes: None,
        memory_bytes: None,
        instead: vec![Instead::LeaveOut(BTreeSet::from([keys.clone()]), "keyboard stays".into())],
        order: Vec::new(),
    };
    let items = [keys, tides, id("fer.pellmoor.quiet")].map(|id| (id, Change::Uninstall));
    let svg = tray(&heading(), &items, &upshot, &label).svg().unwrap();
    for words in [
        "The device would start and could not be used.",
        "3 packages go · data that go: 51 MB",
        "stops: typing",
        "1 loses what it needs:",
        "2 accounts go",
        "Nothing was found that would be missed of:",
        "fer.pellmoor.quiet",
        "Another way: leave out com.corvane.keyboard: keyboard stays",
    ] {
        assert!(svg.contains(words), "{words}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Any text gives a drawing.
    #[test]
    fn any_text_is_drawn(text in any::<String>()) {
        let mut page = Picture::of(200.0, 100.0);
        page.text((10.0, 20.0), &text, 9.0, Tone::Ink);
        let drawing = Document { title: text, pages: vec![page] };
        let svg = drawing.svg();
        let read = svg.as_deref().map(svg2pdf::usvg::roxmltree::Document::parse);
        prop_assert!(matches!(read, Ok(Ok(_))), "{svg:?}");
        prop_assert!(drawing.pdf().is_ok());
    }
}

fn job() -> Document {
    use wibbet_core::sheet::{Bar, Sheet, SheetPart, SheetRow};
    let row = |n: usize| SheetRow {
        name: if n == 3 { "潮汐表".into() } else { format!("Tides {n}") },
        id: format!("fer.pellmoor.tides{n}"),
        what: "removed".into(),
        why: if n.is_multiple_of(7) {
            "Android itself protects this package, and says so at some length".into()
        } else {
            String::new()
        },
    };
    let bar = Bar { name: "free space".into(), before: 60, after: 62, words: ("60 GB".into(), "62 GB".into()) };
    let parts = vec![
        SheetPart::Facts(vec![("Device".into(), "Corvane Tarn 5".into()), ("Note".into(), "سلم إلى الطاقم".into())]),
        SheetPart::Rows("What was done".into(), (0..60).map(row).collect()),
        SheetPart::Lines("How things come back".into(), vec!["word ".repeat(400)]),
        SheetPart::Bars("Before and after".into(), vec![bar]),
        SheetPart::Sign(vec!["For the workshop".into(), "Received".into()]),
    ];
    let sheet = Sheet { title: "Job sheet".into(), workshop: "Pellmoor Ferries".into(), parts };
    wibbet_report::job_sheet(&sheet, wibbet_report::Paper::A4, "Each step was read back.")
}

/// Several pages, each with its number; the same sheet is the same bytes; what the fonts lack is told by its id.
#[test]
fn a_job_sheet_has_pages_and_is_the_same_each_time() {
    let sheet = job();
    assert!(sheet.pages.len() > 2, "{}", sheet.pages.len());
    let svg = sheet.svg().unwrap();
    for words in ["Job sheet", "Pellmoor Ferries", "Tides 59", "fer.pellmoor.tides3", "free space", "Received"] {
        assert!(svg.contains(words), "{words}");
    }
    assert!(svg.contains(&format!("{0} / {0}", sheet.pages.len())) && !svg.contains('潮'));
    let pdf = sheet.pdf().unwrap();
    assert!(pdf.starts_with(b"%PDF-") && pdf.windows(10).any(|part| part == b"/FontFile2"));
    for _ in 0..4 {
        assert!(job().pdf().unwrap() == pdf, "the same bytes");
    }
}

/// What happened to a device stands in the order in which it did; a day once.
#[test]
fn a_life_is_drawn_from_the_top_down() {
    let point = |at, what, in_use, on_break| LifePoint { at: Timestamp(at), what, in_use, on_break };
    let run = |number, not_done| Moment::Run { number: RunId::new(number), kind: RunKind::TakeOut, done: 12, not_done };
    let mut points = vec![point(0, Moment::Met, Some(236), false), point(60_000, run(7, 1), Some(224), false)];
    points.extend((2..90).map(|n| point(n * 86_400_000, run(n, 0), Some(224), n % 2 == 0)));
    let life = wibbet_core::diagnosis::Life { user: UserId::OWNER, points };
    let clock = |at: Timestamp| (format!("day-{}", at.0 / 86_400_000), format!("{:02}:00", at.0 / 60_000 % 60));
    let drawing = wibbet_report::life(&heading(), &life, Paper::A4, &clock);
    let svg = drawing.svg().unwrap();
    assert!(svg.contains("first look at it") && svg.contains("run 7: 12 taken out, 1 not done"), "{svg}");
    assert_eq!(svg.lines().filter(|line| line.trim() == "day-0").count(), 1);
    assert!(drawing.pages.len() > 1, "pages go on");
    assert_eq!(drawing.pdf().unwrap(), wibbet_report::life(&heading(), &life, Paper::A4, &clock).pdf().unwrap());
    let none = wibbet_core::diagnosis::Life { user: UserId::OWNER, points: Vec::new() };
    assert!(wibbet_report::life(&heading(), &none, Paper::Letter, &clock).pdf().unwrap().starts_with(b"%PDF-"));
}

/// Each package has a row, each device a column, and there are as many pages as that takes.
#[test]
fn what_became_of_an_order_is_a_matrix() {
    let run = |number: i64| {
        let steps = (0..40).map(|n| {
            let outcome = if (n + number) % 5 == 0 { Outcome::Refused } else { Outcome::Done };
            testing::settled(n as usize, &format!("com.corvane.part{n:02}"), outcome)
        });
        let (device, order) = (testing::device_id(&format!("CT5-{number}")), "Crew phones".to_owned());
        Run { device, order, steps: steps.collect(), ..testing::run(number, &[]) }
    };
    let runs: Vec<Run> = (1..=12).rev().map(run).collect();
    let record = OrderRecord::of("Crew phones", &runs);
    assert_eq!((record.devices.len(), record.packages.len()), (12, 40));
    let draw = || wibbet_report::fleet(&heading(), &record, &|_| "潮".to_owned(), &|_| "2026-11-28".to_owned());
    let svg = draw().svg().unwrap();
    for n in 1..=12 {
        assert!(svg.lines().any(|line| line.trim() == format!("CT5-{n}")), "{n}");
    }
    assert!(svg.contains("com.corvane.part39") && !svg.contains('潮'), "what the fonts lack is not drawn");
    assert_eq!(draw().pdf().unwrap(), draw().pdf().unwrap());
}
