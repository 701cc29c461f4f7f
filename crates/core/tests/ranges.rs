//! Answers to commands that read ranges: whole, short, late and cut anywhere.

use proptest::prelude::*;
use wibbet_core::read::{ChunkHead, RangeJob, RangeReader, RangeTool, RangeTools, probe_command, read_probe};
use wibbet_types::DevicePath;

fn path(text: &str) -> DevicePath {
    text.parse().unwrap()
}

fn tools(tool: RangeTool) -> RangeTools {
    RangeTools { tool, walks: true }
}

type Came = Vec<(Option<Vec<u8>>, Vec<ChunkHead>)>;

fn read(jobs: &[RangeJob], tool: RangeTool, answer: &[u8], piece: usize) -> Came {
    let (_, mut reader, taken) = RangeReader::begin(jobs, tools(tool), 60_000);
    let mut came: Came = vec![(None, Vec::new()); taken];
    let mut told = 0;
    let mut each = |n: usize, bytes: Option<Vec<u8>>, heads: Vec<ChunkHead>| {
        assert_eq!(n, told, "in order, each once");
        told += 1;
        came[n] = (bytes, heads);
    };
    answer.chunks(piece.max(1)).for_each(|p| reader.feed(p, &mut each));
    reader.finish(&mut each);
    assert_eq!(told, taken);
    came
}

fn jobs() -> Vec<RangeJob> {
    let file = path("/data/app/~~x==/it's/base.apk");
    vec![
        RangeJob::Range(file.clone(), 10_000, 5, 3),
        RangeJob::Chain(file.clone(), 100, 9_000, 15),
        RangeJob::Range(file, 10_000, 1_000, 600),
    ]
}

fn answer(first: &[u8], chain: &str, last: &[u8]) -> Vec<u8> {
    let mut all = first.to_vec();
    all.extend(b"\n#wbt 0\n");
    all.extend(chain.bytes());
    all.extend(b"\n#wbt 1\n");
    all.extend(last);
    all.extend(b"\n#wbt 2\n");
    all
}

const CHAIN: &str = "120 5505537 96 15 3 96 64 0 0 0 0 0 0 0 0 0 0 0\n300 1 2 15\nnonsense\n400 -1 2 3\n";

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
        assert!(command.starts_with("{ w(){") && command.ends_with("} 2>/dev/null"));
        let (_, _, one) = RangeReader::begin(&jobs(), tools(tool), 10);
        assert_eq!(one, 1, "one always goes");
    }
    let many: Vec<RangeJob> = (0..100).map(|n| RangeJob::Range(path("/a.apk"), 10_000, n * 10, 10)).collect();
    let (command, _, taken) = RangeReader::begin(&many, tools(RangeTool::Bytes), 4_000);
    assert!(command.len() <= 4_000 && (20..80).contains(&taken), "{} {taken}", command.len());
    assert!(!command.contains("w()"), "no loop where nothing is followed");
}

#[test]
fn a_short_range_does_not_shift_what_follows() {
    let last = vec![7u8; 600];
    let whole = read(&jobs(), RangeTool::Bytes, &answer(b"abc", CHAIN, &last), 4096);
    assert_eq!(whole[0].0.as_deref(), Some(&b"abc"[..]));
    assert_eq!(whole[1].1.len(), 2, "{:?}", whole[1].1);
    assert_eq!((whole[1].1[0].at, whole[1].1[0].head.len()), (120, 68));
    assert_eq!(whole[2].0.as_ref(), Some(&last));
    let short = read(&jobs(), RangeTool::Bytes, &answer(b"", "", &last), 4096);
    assert_eq!((short[0].0.clone(), short[1].1.len(), short[2].0.as_ref()), (None, 0, Some(&last)));
    // A range that holds what looks like a mark.
    let mut odd = last.clone();
    odd[100..108].copy_from_slice(b"\n#wbt 2\n");
    let came = read(&jobs(), RangeTool::Bytes, &answer(b"abc", CHAIN, &odd), 4096);
    assert_eq!(came[2].0.as_ref(), Some(&odd));
    // Nothing comes any more.
    let cut = read(&jobs(), RangeTool::Bytes, &answer(b"abc", CHAIN, &last)[..300], 4096);
    assert_eq!((cut[0].0.is_some(), cut[2].0.is_some()), (true, false));
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
    assert_eq!(came[0].0.as_deref(), Some(&file[1_000..1_600]));
    assert_eq!(came[1].0.as_deref(), Some(&file[9_990..]));
}

#[test]
fn the_probe_takes_the_first_way_that_works() {
    let command = probe_command(&path("/system/app/A/A.apk"), 9_000);
    assert_eq!(command.matches("wibbet-probe").count(), 4);
    let range: Vec<u8> = [3, 4].into_iter().chain([9; 38]).collect();
    let block: Vec<u8> = b"PK".iter().copied().chain(range.clone()).chain([0; 470]).collect();
    let said = |bytes: &[u8], seek: &[u8], blocks: &[u8], tail: &[u8], od: &str| {
        let mut all = bytes.to_vec();
        for part in [seek, blocks, tail] {
            all.extend(b"wibbet-probe\n");
            all.extend(part);
        }
        all.extend(b"wibbet-probe\n");
        all.extend(od.bytes());
        read_probe(&all)
    };
    // The word at the place where the range begins.
    let od = "  151585795\n";
    for (given, tool, walks) in [
        (said(&range, &range, &block, &range, od), Some(RangeTool::Bytes), true),
        (said(b"", &range, &block, b"", ""), Some(RangeTool::Seek), false),
        (said(b"dd: bad iflag", b"", &block, &range, "od: not found"), Some(RangeTool::Blocks), false),
        (said(b"", b"", b"", &range, od), Some(RangeTool::Tail), true),
        (said(&range[..39], &range[..1], &block[..20], &range[1..], od), None, false),
    ] {
        assert_eq!(given.map(|t| t.tool), tool);
        assert_eq!(given.is_some_and(|t| t.walks), walks);
    }
    assert_eq!(read_probe(b""), None);
}

proptest! {
    #[test]
    fn pieces_do_not_matter(piece in 1usize..700, first in proptest::collection::vec(any::<u8>(), 0..6), last in proptest::collection::vec(any::<u8>(), 598..602)) {
        let answer = answer(&first, CHAIN, &last);
        for tool in RangeTool::ALL {
            prop_assert_eq!(read(&jobs(), tool, &answer, piece), read(&jobs(), tool, &answer, usize::MAX));
        }
        let came = read(&jobs(), RangeTool::Bytes, &answer, piece);
        prop_assert_eq!(came[0].0.is_some(), first.len() == 3);
        prop_assert_eq!(came[2].0.is_some(), last.len() == 600);
    }
}
