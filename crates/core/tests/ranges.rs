//! Answers to commands that read ranges: whole, short, late and cut anywhere.

use proptest::prelude::*;
use wibbet_core::read::{RangeAnswer, RangeJob, RangeReader, RangeTool, RangeTools, probe_command, read_probe};
use wibbet_types::DevicePath;

fn path(text: &str) -> DevicePath {
    text.parse().unwrap()
}

fn tools(tool: RangeTool) -> RangeTools {
    RangeTools { tool, packs: false, several: true }
}

fn read(jobs: &[RangeJob], tool: RangeTool, answer: &[u8], piece: usize) -> Vec<RangeAnswer> {
    let (_, mut reader, taken) = RangeReader::begin(jobs, tools(tool), 60_000);
    let mut came: Vec<RangeAnswer> = Vec::new();
    let mut each = |n: usize, answer: RangeAnswer| {
        assert_eq!(n, came.len(), "in order, each once");
        came.push(answer);
    };
    answer.chunks(piece.max(1)).for_each(|p| reader.feed(p, &mut each));
    reader.finish(&mut each);
    assert_eq!(came.len(), taken);
    assert!(came.iter().zip(jobs).all(|(came, job)| came.len() == job.files()));
    came
}

const ODD: &str = "/data/app/~~x==/it's/base.apk";

fn jobs() -> Vec<RangeJob> {
    let file = path(ODD);
    vec![
        RangeJob::Range(file.clone(), 10_000, 5, 3),
        RangeJob::Tails(vec![(path("/a.apk"), 50), (path("/b.apk"), 3), (path("/c.apk"), 50)], 4),
        RangeJob::Range(file, 10_000, 1_000, 600),
    ]
}

fn answer(first: &[u8], tails: &str, last: &[u8]) -> Vec<u8> {
    let mut all = first.to_vec();
    all.extend(b"\n#wbt 0\n");
    all.extend(tails.bytes());
    all.extend(b"\n#wbt 1\n");
    all.extend(last);
    all.extend(b"\n#wbt 2\n");
    all
}

const TAILS: &str = "==> /a.apk <==\n1234\n==> /b.apk <==\nxyz\n==> /c.apk <==\n5678";

fn texts(came: &RangeAnswer) -> Vec<Option<String>> {
    came.iter().map(|one| one.as_ref().map(|bytes| String::from_utf8_lossy(bytes).into_owned())).collect()
}

#[test]
fn commands_quote_paths_and_end_where_they_are_too_long() {
    for (tool, words) in [
        (
            RangeTool::Bytes,
            "dd if='/data/app/~~x==/it'\\''s/base.apk' bs=64k iflag=skip_bytes,count_bytes skip=5 count=3",
        ),
        (RangeTool::Seek, "(dd bs=1 skip=4 count=1 of=/dev/null;head -c 3)<'/data/app/~~x==/it'\\''s/base.apk'"),
        (RangeTool::Tail, "tail -c 9995 '/data/app/~~x==/it'\\''s/base.apk' | head -c 3"),
        (RangeTool::Blocks, "dd if='/data/app/~~x==/it'\\''s/base.apk' bs=512 skip=0 count=1"),
    ] {
        let (command, _, taken) = RangeReader::begin(&jobs(), tools(tool), 60_000);
        assert_eq!(taken, 3);
        assert!(command.contains(words), "{command}");
        assert!(command.contains("tail -c 4 /a.apk /b.apk /c.apk;"), "{command}");
        assert!(command.starts_with("{ ") && command.ends_with("} 2>/dev/null"));
        let (_, _, one) = RangeReader::begin(&jobs(), tools(tool), 10);
        assert_eq!(one, 1, "one always goes");
    }
    let many: Vec<RangeJob> = (0..100).map(|n| RangeJob::Range(path("/a.apk"), 10_000, n * 10, 10)).collect();
    let (command, _, taken) = RangeReader::begin(&many, tools(RangeTool::Bytes), 4_000);
    assert!(command.len() <= 4_000 && (20..80).contains(&taken), "{} {taken}", command.len());
}

#[test]
fn a_short_answer_does_not_shift_what_follows() {
    let last = vec![7u8; 600];
    let all = |text: &str| Some(text.to_owned());
    let whole = read(&jobs(), RangeTool::Bytes, &answer(b"abc", TAILS, &last), 4096);
    assert_eq!(whole[0], [Some(b"abc".to_vec())]);
    assert_eq!(texts(&whole[1]), [all("1234"), all("xyz"), all("5678")]);
    assert_eq!(whole[2], [Some(last.clone())]);
    let short = read(&jobs(), RangeTool::Bytes, &answer(b"", "", &last), 4096);
    assert_eq!((short[0][0].clone(), texts(&short[1]), short[2][0].as_ref()), (None, vec![None; 3], Some(&last)));
    // A range that holds what looks like a mark.
    let mut odd = last.clone();
    odd[100..108].copy_from_slice(b"\n#wbt 2\n");
    let came = read(&jobs(), RangeTool::Bytes, &answer(b"abc", TAILS, &odd), 4096);
    assert_eq!(came[2], [Some(odd)]);
    // Nothing comes any more.
    let cut = read(&jobs(), RangeTool::Bytes, &answer(b"abc", TAILS, &last)[..300], 4096);
    assert_eq!((cut[0][0].is_some(), cut[2][0].is_some()), (true, false));
}

/// Of several files one cannot be opened, or has another length than it had.
#[test]
fn files_that_are_missing_or_have_changed_do_not_shift_others() {
    let of = |tails: &str| texts(&read(&jobs(), RangeTool::Bytes, &answer(b"abc", tails, &[7; 600]), 512)[1]);
    let some = |parts: [&str; 3]| parts.map(|part| (!part.is_empty()).then(|| part.to_owned())).to_vec();
    for (tails, expected) in [
        ("==> /b.apk <==\nxyz\n==> /c.apk <==\n5678", ["", "xyz", "5678"]),
        ("==> /a.apk <==\n1234\n==> /c.apk <==\n5678", ["1234", "", "5678"]),
        ("==> /a.apk <==\n1234\n==> /b.apk <==\nxyz", ["1234", "xyz", ""]),
        // It is shorter than it was, and longer.
        ("==> /a.apk <==\n12\n==> /b.apk <==\nxyz\n==> /c.apk <==\n5678", ["", "xyz", "5678"]),
        ("==> /a.apk <==\n1234\n==> /b.apk <==\nwxyz\n==> /c.apk <==\n5678", ["1234", "", "5678"]),
        ("==> /a.apk <==\n1234\n==> /b.apk <==\nxyz\n==> /c.apk <==\n56", ["1234", "xyz", ""]),
        // Not those that were asked for.
        ("==> /x.apk <==\n1234\n==> /b.apk <==\nxyz", ["", "", ""]),
        ("rubbish", ["", "", ""]),
    ] {
        assert_eq!(of(tails), some(expected), "{tails:?}");
    }
    // One file alone is printed as it is.
    let one = [RangeJob::Heads(vec![(path("/a.apk"), 50)], 4)];
    let came = read(&one, RangeTool::Bytes, b"1234\n#wbt 0\n", 100);
    assert_eq!(texts(&came[0]), [Some("1234".to_owned())]);
    // Bytes that look like the beginning of another file.
    let twice = [RangeJob::Heads(vec![(path("/a.apk"), 50), (path("/b.apk"), 50)], 20)];
    let odd = "==> /a.apk <==\n\n==> /b.apk <==\nabcd\n==> /b.apk <==\n12345678901234567890\n#wbt 0\n";
    let came = read(&twice, RangeTool::Bytes, odd.as_bytes(), 7);
    assert_eq!(texts(&came[0]), [Some("\n==> /b.apk <==\nabcd".to_owned()), Some("12345678901234567890".to_owned())]);
}

#[test]
fn blocks_are_cut_to_what_was_asked_for() {
    let file: Vec<u8> = (0..10_000u32).map(|n| n as u8).collect();
    let jobs =
        [RangeJob::Range(path("/a.apk"), 10_000, 1_000, 600), RangeJob::Range(path("/a.apk"), 10_000, 9_990, 10)];
    let mut all = file[512..2048].to_vec();
    all.extend(b"\n#wbt 0\n");
    // The last block of a file is shorter.
    all.extend(&file[9_728..]);
    all.extend(b"\n#wbt 1\n");
    let came = read(&jobs, RangeTool::Blocks, &all, 700);
    assert_eq!(came[0][0].as_deref(), Some(&file[1_000..1_600]));
    assert_eq!(came[1][0].as_deref(), Some(&file[9_990..]));
}

#[test]
fn the_probe_takes_the_first_way_that_works() {
    let file = path("/system/app/A/A.apk");
    let command = probe_command(&file, 9_000);
    assert_eq!(command.matches("wibbet-probe").count(), 7);
    let range: Vec<u8> = [3, 4].into_iter().chain([9; 38]).collect();
    let block: Vec<u8> = b"PK".iter().copied().chain(range.clone()).chain([0; 470]).collect();
    let both = |part: &str| format!("==> /system/app/A/A.apk <==\n{part}\n==> /system/app/A/A.apk <==\n{part}");
    let (heads, tails) = (both("PK1234"), both("567890"));
    let said = |bytes: &[u8], seek: &[u8], blocks: &[u8], tail: &[u8], heads: &str, tails: &str| {
        let mut all = Vec::new();
        for part in [bytes, seek, blocks, tail, heads.as_bytes(), tails.as_bytes()] {
            all.extend(part);
            all.extend(b"wibbet-probe\n");
        }
        read_probe(&file, 9_000, &all)
    };
    for (given, tool, several) in [
        (said(&range, &range, &block, &range, &heads, &tails), Some(RangeTool::Bytes), true),
        (said(b"", &range, &block, b"", "", ""), Some(RangeTool::Seek), false),
        (said(b"dd: bad iflag", b"", &block, &range, &heads, ""), Some(RangeTool::Blocks), false),
        // Several files without a word which is which.
        (said(b"", b"", b"", &range, "PK1234PK1234", "567890567890"), Some(RangeTool::Tail), false),
        (said(&range[..39], &range[..1], &block[..20], &range[1..], &heads, &tails), None, false),
    ] {
        assert_eq!(given.map(|t| t.tool), tool);
        assert_eq!(given.is_some_and(|t| t.several), several);
    }
    assert_eq!(read_probe(&file, 9_000, b""), None);
    // With a word at its end that was packed and unpacked.
    let mut all = Vec::new();
    for part in [&range, &range, &block, &range, &heads.into_bytes(), &tails.into_bytes()] {
        all.extend(part);
        all.extend(b"wibbet-probe\n");
    }
    let packs = |more: &[u8]| read_probe(&file, 9_000, &[&all, more].concat()).map(|tools| tools.packs);
    assert_eq!(
        [packs(b"wibbet-probe\n"), packs(b""), packs(b"gzip: not found\n")],
        [Some(true), Some(false), Some(false)]
    );
    let packed = RangeTools { packs: true, ..tools(RangeTool::Bytes) };
    let (command, reader, _) = RangeReader::begin(&jobs(), packed, 60_000);
    assert!(command.ends_with("} 2>/dev/null|gzip -1c"));
    assert!((700..5_000).contains(&reader.most()));
}

proptest! {
    #[test]
    fn pieces_do_not_matter(piece in 1usize..700, first in proptest::collection::vec(any::<u8>(), 0..6), last in proptest::collection::vec(any::<u8>(), 598..602)) {
        let answer = answer(&first, TAILS, &last);
        for tool in RangeTool::ALL {
            prop_assert_eq!(read(&jobs(), tool, &answer, piece), read(&jobs(), tool, &answer, usize::MAX));
        }
        let came = read(&jobs(), RangeTool::Bytes, &answer, piece);
        prop_assert_eq!(came[0][0].is_some(), first.len() == 3);
        prop_assert_eq!(came[2][0].is_some(), last.len() == 600);
    }

    #[test]
    fn any_answer_is_taken_apart(answer in proptest::collection::vec(any::<u8>(), 0..300), tails in "(==> /[abc].apk <==|\n|[a-z]{0,5}){0,8}", piece in 1usize..50) {
        for tool in RangeTool::ALL {
            read(&jobs(), tool, &answer, piece);
            read(&jobs(), tool, &self::answer(b"abc", &tails, &answer), piece);
        }
    }
}
