//! What tells of packages: APKs, dumps, answers for ranges, and what people type.

use std::collections::BTreeSet;

use wibbet_apk::{ApkReader, Question, Step, Stride, read_manifest};
use wibbet_core::android::{Capabilities, DaemonFeatures};
use wibbet_core::ask::Output;
use wibbet_core::catalog::{Catalog, Chosen, IdList};
use wibbet_core::diagnosis::{BreakItem, Look, LookHead, UpdateBreak, drift};
use wibbet_core::order::{
    Order, read_break, read_list, read_order, write_break, write_csv, write_ids, write_order, write_order_as_json,
};
use wibbet_core::package::{Inventory, Package, PackageKind};
use wibbet_core::plan::Change;
use wibbet_core::read::{
    ApkPaths, ApkReading, DumpReader, FrontEvents, MeasureReader, Pace, Properties, RangeAnswer, RangeJob, RangeReader,
    RangeTool, RangeTools, read_answers_to_needs, read_bindings, read_commands, read_failures, read_figures,
    read_front, read_identity, read_installed, read_languages, read_log_time, read_package_list, read_probe,
    read_quiet, read_report, read_shared_users, read_short_dump, read_ties, read_users,
};
use wibbet_core::run::read_proof;
use wibbet_core::search::{Matcher, Search};
use wibbet_types::{DevicePath, Locale, LookId, PackageId, PlainText, Timestamp, UserId};

/// Feeds a reader from a file until it is done. It asks for nothing that is not there, and not for ever.
fn read(file: &[u8], question: Question) {
    let mut reader = ApkReader::new(
        file.len() as u64,
        question,
        vec![Locale::new("de", "", "DE")],
        Stride { whole: file.len() % 4096, window: file.len() % 64 },
    );
    let mut former = Vec::new();
    for _ in 0..30_000 {
        match reader.step() {
            Step::Done(_) => return,
            Step::Wants(wants) => {
                assert_ne!(wants, former, "the same is asked for again");
                for want in &wants {
                    let at = usize::try_from(want.start).unwrap_or(usize::MAX);
                    let bytes = file.get(at..at.saturating_add(want.len));
                    assert!(bytes.is_some(), "{want:?} is not in the file");
                    reader.feed(want.start, bytes.unwrap_or_default());
                }
                former = wants;
            }
        }
    }
    unreachable!("it never ends");
}

/// A whole APK.
pub fn apk(data: &[u8]) {
    read(data, Question::Label);
}

/// A resource table, in a ZIP file made around it.
pub fn table(data: &[u8]) {
    let name = b"resources.arsc";
    let size = (data.len() as u32).to_le_bytes();
    let mut local = b"PK\x03\x04".to_vec();
    local.extend([20, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0]);
    local.extend(size);
    local.extend(size);
    local.extend([name.len() as u8, 0, 0, 0]);
    local.extend(name);
    let mut central = b"PK\x01\x02".to_vec();
    central.extend([20, 0, 20, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0]);
    central.extend(size);
    central.extend(size);
    central.extend([name.len() as u8, 0]);
    central.extend([0; 16]);
    central.extend(name);
    let mut file = local;
    file.extend(data);
    let at = (file.len() as u32).to_le_bytes();
    file.extend(&central);
    file.extend(b"PK\x05\x06\0\0\0\0\x01\0\x01\0");
    file.extend((central.len() as u32).to_le_bytes());
    file.extend(at);
    file.extend([0, 0]);
    read(&file, Question::Resource(0x7f0f_0000));
    read(&file, Question::Resource(0x7f0f_0001));
}

/// A binary manifest.
pub fn manifest(data: &[u8]) {
    let _ = read_manifest(data);
}

/// `dumpsys package`, in pieces of the size that the first byte says, and `list packages`.
pub fn dump(data: &[u8]) {
    let Some((size, rest)) = data.split_first() else { return };
    let (mut whole, mut pieces) = (DumpReader::default(), DumpReader::default());
    whole.feed(rest);
    rest.chunks(usize::from(*size).max(1)).for_each(|piece| pieces.feed(piece));
    assert_eq!(whole.finish(), pieces.finish());
    let text = String::from_utf8_lossy(rest);
    read_shared_users(&text);
    read_short_dump(&text);
    read_package_list(&String::from_utf8_lossy(rest));
}

/// Sizes, memory and use, in pieces too; and languages.
pub fn measures(data: &[u8]) {
    let Some((size, rest)) = data.split_first() else { return };
    let (mut whole, mut pieces) = (MeasureReader::default(), MeasureReader::default());
    whole.feed(rest);
    rest.chunks(usize::from(*size).max(1)).for_each(|piece| pieces.feed(piece));
    assert_eq!(whole.end_answer(), pieces.end_answer());
    assert!(read_languages(&String::from_utf8_lossy(rest)).len() <= 16);
}

/// What is on the screen, and what fails.
pub fn front(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    read_front(&text);
    read_failures(&text);
    read_log_time(&text);
    let nothing =
        Inventory { users: Vec::new(), packages: Default::default(), essential: Default::default(), gaps: Vec::new() };
    read_figures(&text, &nothing);
    read_quiet(&Output { out: text.to_string(), ..Output::default() });
    for way in [Change::ForceStop, Change::Quieten, Change::Unquieten] {
        read_proof(way, UserId::OWNER, &text);
    }
    let mut events = FrontEvents::default();
    data.chunks(7).for_each(|piece| drop(events.feed(piece)));
    if let Ok(path) = "/system/app/A/A.apk".parse() {
        read_probe(&path, 5000, data);
    }
}

/// Answers to commands that read ranges.
pub fn ranges(data: &[u8]) {
    let Some((size, rest)) = data.split_first() else { return };
    let Ok(path) = "/system/app/A/A.apk".parse::<wibbet_types::DevicePath>() else { return };
    let jobs = [
        RangeJob::Range(path.clone(), 5000, 10, 30),
        RangeJob::Tails(vec![(path.clone(), 20), (path.clone(), 5000)], 40),
        RangeJob::Range(path, 5000, 4000, 1000),
    ];
    for tool in RangeTool::ALL {
        let (_, mut reader, taken) =
            RangeReader::begin(&jobs, RangeTools { tool, packs: false, several: true }, 60_000);
        assert_eq!(taken, jobs.len());
        let mut told = Vec::new();
        let mut each = |n: usize, came: RangeAnswer| {
            let lengths: [&[usize]; 3] = [&[30], &[20, 40], &[1000]];
            assert_eq!(came.len(), lengths[n].len());
            assert!(came.iter().zip(lengths[n]).all(|(bytes, len)| bytes.as_ref().is_none_or(|b| b.len() == *len)));
            told.push(n);
        };
        rest.chunks(usize::from(*size).max(1)).for_each(|piece| reader.feed(piece, &mut each));
        reader.finish(&mut each);
        assert_eq!(told, [0, 1, 2], "each job has its answer once, in order");
    }
}

/// A search line.
pub fn searches(data: &[u8]) {
    let line = String::from_utf8_lossy(data);
    let search = Search::read(&line);
    if let Some(spot) = &search.trouble {
        assert!(line.get(spot.span.clone()).is_some());
    }
    let empty =
        Inventory { users: Vec::new(), packages: Default::default(), essential: Default::default(), gaps: Vec::new() };
    search.run(&Catalog::new(empty.into()), UserId::OWNER, &Chosen::new(), &mut Matcher::default());
    search.letters("Nebelhorn com.corvane.radio", &mut Matcher::default());
    for at in 0..=line.len().min(64) {
        for completion in Search::complete(&line, at) {
            assert!(line.get(completion.at).is_some());
        }
    }
}

/// A list of ids.
pub fn ids(data: &[u8]) {
    let list = IdList::read(&String::from_utf8_lossy(data));
    assert!(list.ids.len() + list.others.len() <= IdList::MOST);
}

/// What a device says of itself.
pub fn properties(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    if let (Some(stand_in), properties) = ("at-1".parse().ok(), Properties::read(&text))
        && let Some(facts) = properties.facts(&stand_in)
    {
        for shown in [facts.maker, facts.model, facts.patch, facts.build] {
            assert!(!shown.as_str().chars().any(char::is_control));
        }
    }
    let (boot, android) = read_identity(&text);
    assert!(boot.is_none_or(|id| id.as_str().len() == 36) && android.is_none_or(|id| id.as_str().len() <= 16));
}

/// Its users.
pub fn users(data: &[u8]) {
    let users = read_users(&String::from_utf8_lossy(data));
    assert!(users.len() <= 200 && users.is_sorted_by_key(|user| user.id));
}

/// How it is.
pub fn report(data: &[u8]) {
    let (vitals, _) = read_report(&String::from_utf8_lossy(data));
    assert!(vitals.battery.is_none_or(|battery| battery.percent <= 100));
    assert!(vitals.warnings().iter().all(|warning| !warning.chars().any(char::is_control)));
}

/// Lists of packages.
pub fn lists(data: &[u8]) {
    let text = String::from_utf8_lossy(data).into_owned();
    read_package_list(&text);
    let said = Output { out: text, ..Output::default() };
    read_installed(&said);
}

/// What programs say that they can do.
pub fn help(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    read_commands(&text);
    for sdk in [21, 23, 26, 34] {
        Capabilities::new(sdk, DaemonFeatures::default()).learn_from_help(&text);
    }
}

/// Who is engaged in what, who uses whom at the moment, and who does what Android needs.
pub fn ties(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    let capabilities = Capabilities::new(34, DaemonFeatures::default());
    read_ties(&text, &capabilities, &[UserId::OWNER]);
    read_answers_to_needs(&text, &capabilities);
    for binding in read_bindings(&text) {
        assert!(binding.class.len() <= 600 && !binding.class.chars().any(|c| c.is_control() || c.is_whitespace()));
    }
}

/// Answers for ranges, given to what reads APKs: the first bytes say how long the file is, and in how large
/// pieces they come.
pub fn chains(data: &[u8]) {
    let Some((head, rest)) = data.split_first_chunk::<6>() else { return };
    let size = u32::from_le_bytes([head[0], head[1], head[2], head[3]]);
    let (piece, several) = (usize::from(head[4]).max(1), head[5] & 1 == 1);
    let tools = RangeTools { tool: RangeTool::Bytes, packs: false, several };
    let (Ok(id), Ok(path)) = ("com.odd".parse::<PackageId>(), "/system/app/A/A.apk".parse::<DevicePath>()) else {
        return;
    };
    let package = Package { apk: Some(path), ..Package::bare(id.clone(), PackageKind::System, Default::default()) };
    let inventory = Inventory {
        users: Vec::new(),
        packages: [(id, package.into())].into(),
        essential: Default::default(),
        gaps: Vec::new(),
    };
    let wanted = [Locale::new("de", "", "DE")];
    let paths = ApkPaths::of(&inventory, &wanted);
    let looked: Vec<_> = paths.all.iter().map(|_| Some((size, 1))).collect();
    let mut reading = ApkReading::begin(&paths, &looked, &Default::default(), &wanted);
    reading.set_pace(if head[5] & 2 == 2 { Pace::cable(false) } else { Pace::air(false) });
    let mut left = rest;
    for _ in 0..1000 {
        let jobs = reading.next_round(tools, &Default::default(), usize::MAX);
        if jobs.is_empty() {
            return;
        }
        let (_, mut reader, taken) = RangeReader::begin(&jobs, tools, 1 << 20);
        assert_eq!(taken, jobs.len());
        let mut came: Vec<RangeAnswer> = jobs.iter().map(|job| vec![None; job.files()]).collect();
        let mut each = |n: usize, answer: RangeAnswer| came[n] = answer;
        let (now, later) = left.split_at(left.len().min(64 * 1024).min(left.len().div_ceil(2)));
        now.chunks(piece).for_each(|piece| reader.feed(piece, &mut each));
        reader.finish(&mut each);
        left = later;
        reading.feed(came);
    }
    unreachable!("it never ends");
}

/// Order files, and lists that become one.
pub fn orders(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    if let Ok(order) = read_order(&text) {
        assert_eq!(read_order(&write_order(&order)).as_ref(), Ok(&order));
        assert_eq!(read_order(&write_order_as_json(&order)).as_ref(), Ok(&order));
    }
    if let Ok(list) = read_list(&text) {
        let named = Order { name: "list".into(), ..list.order };
        assert!(read_order(&write_order(&named)).is_ok(), "what becomes of a list is an order");
        let _ = (write_csv(&named), write_ids(&named));
    }
    if let Ok(order) = read_break(&String::from_utf8_lossy(data)) {
        // What is read can be written, and is the same again.
        let again = write_break(&order).ok().and_then(|text| read_break(&text).ok());
        let sorted = |order: &UpdateBreak| order.items.iter().map(ToString::to_string).collect::<BTreeSet<_>>();
        assert_eq!(again.as_ref().map(sorted), Some(sorted(&order)));
        assert!(order.items.iter().all(|item| item.way.takes_out()));
        let lines = order.items.iter().map(ToString::to_string);
        assert!(lines.map(|line| line.parse::<BreakItem>()).all(|item| item.is_ok()));
    }
}

/// Looks as they are kept.
pub fn looks(data: &[u8]) {
    let (number, at, build) = (LookId::new(1), Timestamp(0), PlainText::default());
    let head = LookHead { number, at, until: at, build, boot: None };
    let look = Look::from_lines(&head, &String::from_utf8_lossy(data));
    assert_eq!(Look::from_lines(&head, &look.lines()), look);
    assert!(drift(&look, &look, &[]).is_empty());
}
