//! Reading an APK that is at hand, and counting what was asked for.
#![allow(clippy::unwrap_used, dead_code, reason = "tests")]

use wibbet_apk::{ApkError, ApkFacts, ApkReader, Question, Step, Stride};
use wibbet_types::Locale;

/// What reading has cost.
#[derive(Debug, Default, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Cost {
    pub(crate) rounds: usize,
    pub(crate) bytes: u64,
}

pub(crate) type Read<'a> = &'a dyn Fn(u64, usize) -> Vec<u8>;

/// As much at a time as over a quick line.
pub(crate) const LONG: Stride = Stride { whole: 128 << 10, window: 32 << 10 };

/// Feeds a reader until it is done.
pub(crate) fn read(
    size: u64,
    file: Read<'_>,
    question: Question,
    wanted: &[&str],
    stride: Stride,
) -> (Result<ApkFacts, ApkError>, Cost) {
    let wanted: Vec<Locale> = wanted.iter().map(|l| l.parse().unwrap()).collect();
    let mut reader = ApkReader::new(size, question, wanted, stride);
    let mut cost = Cost::default();
    let mut former = Vec::new();
    loop {
        match reader.step() {
            Step::Done(answer) => return (answer.map(|facts| *facts), cost),
            Step::Wants(wants) => {
                assert_ne!(wants, former, "it asks for what it has been given");
                cost.rounds += 1;
                assert!(cost.rounds < 2000, "it never ends");
                for want in &wants {
                    let bytes = file(want.start, want.len);
                    assert_eq!(bytes.len(), want.len, "{want:?} is not in the file");
                    cost.bytes += bytes.len() as u64;
                    reader.feed(want.start, &bytes);
                }
                former = wants;
            }
        }
    }
}

pub(crate) fn read_bytes(bytes: &[u8], wanted: &[&str]) -> Result<ApkFacts, ApkError> {
    let file = |at: u64, len: usize| {
        let at = usize::try_from(at).unwrap().min(bytes.len());
        bytes[at..bytes.len().min(at + len)].to_vec()
    };
    read(bytes.len() as u64, &file, Question::Label, wanted, Stride::SHORT).0
}

pub(crate) fn read_counting(bytes: &[u8], wanted: &[&str]) -> (Result<ApkFacts, ApkError>, Cost) {
    let file = |at: u64, len: usize| {
        let at = usize::try_from(at).unwrap().min(bytes.len());
        bytes[at..bytes.len().min(at + len)].to_vec()
    };
    read(bytes.len() as u64, &file, Question::Label, wanted, Stride::SHORT)
}

/// The inflated manifest of an APK.
pub(crate) fn manifest_of(apk: &[u8]) -> Vec<u8> {
    use std::io::Read as _;
    let name = apk.windows(19).position(|w| w == b"AndroidManifest.xml").unwrap();
    let packed = u32::from_le_bytes(apk[name - 12..name - 8].try_into().unwrap()) as usize;
    let mut out = Vec::new();
    flate2::read::DeflateDecoder::new(&apk[name + 19..name + 19 + packed]).read_to_end(&mut out).unwrap();
    out
}
