//! APKs that are broken, cut, or made to do harm: an error or an answer, in bounded memory and time.

use crate::by_hand::{chunk, long, pool, short};
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

/// An element with one attribute, the name and the text of which are strings of the pool.
fn element(name: usize, attribute: Option<(usize, usize)>) -> Vec<u8> {
    let given = attribute
        .map(|(name, text)| [&[0xff; 4][..], &long(name), &long(text), &short(8), &[0, 3], &long(text)].concat());
    let head = [&[0xff; 4][..], &long(name), &short(20), &short(20), &short(usize::from(given.is_some())), &[0; 6]];
    chunk(0x0102, &[0; 8], &[head.concat(), given.unwrap_or_default()].concat())
}

fn end(name: usize) -> Vec<u8> {
    chunk(0x0103, &[0; 8], &[[0xff; 4], long(name)].concat())
}

/// A manifest of less than four megabytes in which everything is the same long text, again and again.
fn manifest_of_repetitions() -> Vec<u8> {
    let long_text = ";".repeat(16_000);
    let short_name = "c".repeat(16_000);
    let names = ["manifest", "application", "activity", "intent-filter", "action", "name", "provider", "authorities"];
    let [manifest, application, activity, filter, action, name, provider, authorities] = [0, 1, 2, 3, 4, 5, 6, 7];
    let strings: Vec<&str> = names.into_iter().chain([long_text.as_str(), &short_name]).collect();
    let mut body = vec![pool(&strings, false), element(manifest, None), element(application, None)];
    for _ in 0..15 {
        body.extend([element(activity, Some((name, 8))), element(filter, None)]);
        (0..1_000).for_each(|_| body.extend([element(action, Some((name, 8))), end(action)]));
        body.extend([end(filter), end(activity)]);
    }
    for _ in 0..20_000 {
        body.extend([element(provider, Some((authorities, 8))), end(provider)]);
    }
    body.extend([end(application), end(manifest)]);
    chunk(3, &[], &body.concat())
}

/// The test program starts itself anew with little memory, and there reads it.
#[cfg(unix)]
#[test]
fn a_manifest_that_repeats_itself_takes_no_more_memory_than_its_strings() {
    const IN_HERE: &str = "WIBBET_TEST_WITH_LITTLE_MEMORY";
    if std::env::var_os(IN_HERE).is_some() {
        let bytes = manifest_of_repetitions();
        assert!(bytes.len() < 4 << 20, "{}", bytes.len());
        let manifest = read_manifest(&bytes).unwrap();
        assert_eq!(manifest.components.iter().flat_map(|c| &c.filters).flat_map(|f| &f.actions).count(), 15_000);
        assert!(manifest.components.len() > 15_000);
        return;
    }
    let own = std::env::current_exe().unwrap();
    let name = "hostile::a_manifest_that_repeats_itself_takes_no_more_memory_than_its_strings";
    let limited = "ulimit -v 250000 && exec \"$0\" \"$@\"";
    let child = std::process::Command::new("sh")
        .args(["-c", limited])
        .arg(own)
        .args(["--exact", name, "--test-threads=1"])
        .env(IN_HERE, "1")
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&child.stdout);
    assert!(child.status.success() && said.contains("1 passed"), "{said}{}", String::from_utf8_lossy(&child.stderr));
}

/// Class names that are written short have the package before them, each of them anew.
#[test]
fn class_names_without_end_are_an_error() {
    let (package, class) = ("p".repeat(8_000), ".C".repeat(4_000));
    let names = ["manifest", "application", "activity", "name", "package", &package, &class];
    let mut body = vec![pool(&names, false), element(0, Some((4, 5))), element(1, None)];
    (0..500).for_each(|_| body.extend([element(2, Some((3, 6))), end(2)]));
    let enough = chunk(3, &[], &[body.clone(), vec![end(1), end(0)]].concat().concat());
    assert!(read_manifest(&enough[..]).is_err_and(|e| e.rule.contains("class names")));
    body.truncate(3 + 400);
    let fewer = chunk(3, &[], &[body, vec![end(1), end(0)]].concat().concat());
    let manifest = read_manifest(&fewer).unwrap();
    assert_eq!((manifest.components.len(), manifest.components[0].name.len()), (200, 16_000));
}

/// Strings of a pool may lie over one another: a small pool with very many long ones.
#[test]
fn strings_that_lie_over_one_another_end_at_a_limit() {
    let count = 2_000;
    let text = "x".repeat(16_000);
    let mut strings = pool(&[&text], false);
    // As many offsets, all to the one string, behind it where the head says that they begin.
    let data = strings.split_off(28 + 4);
    let head = [long(count), long(0), long(0x100), long(28 + 4 * count), long(0)].concat();
    let offsets: Vec<u8> = (0..count).flat_map(|_| long(0)).collect();
    let strings = chunk(1, &head, &[offsets, data].concat());
    let each = |n: usize| element(n, None);
    let document = chunk(3, &[], &[vec![strings], (0..count).map(each).collect()].concat().concat());
    let mut reader = XmlReader::new(&document).unwrap();
    let seen = std::iter::from_fn(|| reader.next_event().transpose()).take_while(Result::is_ok).count();
    assert_eq!(seen, (8 << 20) / 16_000);
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
