//! APKs that are broken, cut, or made to do harm: an error or an answer, in bounded memory and time.

use crate::support::{read_bytes, read_counting};
use proptest::prelude::*;
use wibbet_apk::{XmlReader, read_manifest};
use wibbet_sim::{SampleApk, Scenario};

/// Small APKs: the smallest of all, and two with an entry on the home screen.
fn small() -> Vec<Vec<u8>> {
    static SMALL: std::sync::OnceLock<Vec<Vec<u8>>> = std::sync::OnceLock::new();
    let all = SMALL.get_or_init(|| {
        let scenario = Scenario::crew_phone();
        let mut all: Vec<SampleApk> = SampleApk::all_of(&scenario).filter(|a| a.oddity() == "none").collect();
        all.sort_by_key(SampleApk::size);
        let icons = all.iter().filter(|a| a.launcher).take(2);
        all.iter().take(1).chain(icons).map(|apk| apk.read(0, usize::MAX)).collect()
    });
    all.clone()
}

fn end_record(apk: &[u8]) -> usize {
    apk.windows(4).rposition(|w| w == b"PK\x05\x06").unwrap()
}

#[test]
fn cut_at_every_length() {
    let apk = &small()[0];
    let step = 1 + apk.len() / 3000;
    let near_end = apk.len() - 400..apk.len();
    for len in (0..apk.len()).step_by(step).chain(near_end) {
        assert!(read_bytes(&apk[..len], &["de"]).is_err(), "{len}");
    }
    assert!(read_bytes(apk, &["de"]).is_ok());
}

/// Each part of a file on its own, at every length.
#[test]
fn manifests_cut_at_every_length() {
    let whole = small()[1].clone();
    let manifest = crate::support::manifest_of(&whole);
    assert!(read_manifest(&manifest).is_ok());
    for len in 0..manifest.len() {
        let cut = read_manifest(&manifest[..len]);
        assert!(cut.is_err() || len + 24 >= manifest.len(), "{len}");
    }
}

#[test]
fn a_bomb_is_not_inflated() {
    let mut apk = small()[1].clone();
    // The central directory promises a manifest of four gigabytes, and one of a few bytes.
    let name = apk.windows(19).rposition(|w| w == b"AndroidManifest.xml").unwrap();
    let entry = name - 46;
    for size in [u32::MAX, 0x0fff_ffff, 1] {
        apk[entry + 24..entry + 28].copy_from_slice(&size.to_le_bytes());
        assert!(read_bytes(&apk, &["de"]).is_err());
    }
}

#[test]
fn entries_may_lie_over_one_another() {
    let mut apk = small()[1].clone();
    let table = apk.windows(14).rposition(|w| w == b"resources.arsc").unwrap() - 46;
    let manifest = apk.windows(19).rposition(|w| w == b"AndroidManifest.xml").unwrap() - 46;
    let place: [u8; 4] = apk[manifest + 42..manifest + 46].try_into().unwrap();
    apk[table + 42..table + 46].copy_from_slice(&place);
    // The table is where the manifest is: there is no label, and that is told.
    let facts = read_bytes(&apk, &["de"]).unwrap();
    assert!(facts.label.is_none() && facts.trouble.is_some());
}

#[test]
fn references_in_circles_end() {
    let scenario = Scenario::crew_phone();
    let apk =
        SampleApk::all_of(&scenario).find(|a| a.launcher && a.size() < 2_000_000 && a.oddity() == "none").unwrap();
    let mut bytes = apk.read(0, usize::MAX);
    // Every text becomes a reference to the first text, itself among them.
    let id = 0x7f0f_0000u32;
    let mut changed = 0;
    for at in 0..bytes.len() - 16 {
        if bytes[at..].starts_with(&[8, 0, 0, 3]) {
            bytes[at + 3] = 1;
            bytes[at + 4..at + 8].copy_from_slice(&id.to_le_bytes());
            changed += 1;
        }
    }
    assert!(changed > 10, "{changed}");
    let facts = read_bytes(&bytes, &["de"]).unwrap();
    assert!(facts.label.is_none() && facts.trouble.is_some(), "{facts:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]
    /// Any change of any bytes: an answer or an error, and never more asked for than the file has.
    #[test]
    fn any_damage(which in 0usize..3, damage in proptest::collection::vec((any::<proptest::sample::Index>(), any::<u8>()), 1..12), near in 0usize..3) {
        let mut apk = small().swap_remove(which);
        let (end, len) = (end_record(&apk), apk.len());
        // Mostly where it matters: the end, the central directory, the table's heads.
        let table = apk.windows(12).position(|w| w.starts_with(&[2, 0, 12, 0])).unwrap_or(0);
        for (at, byte) in &damage {
            let place = match near {
                0 => at.index(len),
                1 => end.saturating_sub(600) + at.index(len - end.saturating_sub(600)),
                _ => table + at.index(900.min(len - table)),
            };
            apk[place] = *byte;
        }
        let (_, cost) = read_counting(&apk, &["de", "ja"]);
        prop_assert!(cost.bytes <= 40 * apk.len() as u64 + 200_000, "{cost:?}");
    }

    #[test]
    fn any_bytes_as_xml(bytes in any::<Vec<u8>>(), head in 0u16..40) {
        let _ = read_manifest(&bytes);
        let mut with_head = vec![3, 0, head as u8, 0, 0, 0, 0, 0];
        with_head.extend(bytes);
        let _ = read_manifest(&with_head);
        if let Ok(mut reader) = XmlReader::new(&with_head) {
            while let Ok(Some(_)) = reader.next_event() {}
        }
    }
}
