//! Files put together byte by byte after the descriptions of the formats, beside those that bench devices generate.

use crate::support::{LONG, read};
use wibbet_apk::{ApkError, ApkFacts, Config, Question, Stride, Value, XmlReader};

pub(crate) fn short(n: usize) -> [u8; 2] {
    (n as u16).to_le_bytes()
}

pub(crate) fn long(n: usize) -> [u8; 4] {
    (n as u32).to_le_bytes()
}

/// A chunk: type, length of its head, length; then the rest of the head, then the body.
pub(crate) fn chunk(kind: usize, head: &[u8], body: &[u8]) -> Vec<u8> {
    [&short(kind)[..], &short(8 + head.len()), &long(8 + head.len() + body.len()), head, body].concat()
}

/// A pool of strings in UTF-8 or UTF-16.
pub(crate) fn pool(strings: &[&str], wide: bool) -> Vec<u8> {
    let (mut offsets, mut data) = (Vec::new(), Vec::new());
    for text in strings {
        offsets.extend(long(data.len()));
        let units: Vec<u16> = text.encode_utf16().collect();
        if wide {
            if units.len() > 0x7fff {
                data.extend(short(0x8000 | units.len() >> 16));
            }
            data.extend(short(units.len() & 0xffff));
            units.iter().for_each(|u| data.extend(u.to_le_bytes()));
            data.extend([0, 0]);
        } else {
            for length in [units.len(), text.len()] {
                if length > 0x7f {
                    data.push(0x80 | (length >> 8) as u8);
                }
                data.push(length as u8);
            }
            data.extend(text.as_bytes());
            data.push(0);
        }
    }
    data.resize(data.len().next_multiple_of(4), 0);
    let flags = if wide { 0 } else { 0x100 };
    let start = 28 + offsets.len();
    let head = [long(strings.len()), long(0), long(flags), long(start), long(0)].concat();
    chunk(1, &head, &[offsets, data].concat())
}

/// The values of a type for a language, in one of the layouts: `flags` 0, 1 sparse, 2 offsets of two bytes.
fn values(type_id: u8, flags: u8, language: &[u8; 2], entries: &[Option<Vec<u8>>]) -> Vec<u8> {
    values_for(type_id, flags, &[language[0], language[1], 0, 0], entries)
}

/// The same for a language and a region.
fn values_for(type_id: u8, flags: u8, locale: &[u8; 4], entries: &[Option<Vec<u8>>]) -> Vec<u8> {
    let mut config = long(28).to_vec();
    config.extend([0; 4]);
    config.extend(locale);
    config.extend([0; 16]);
    let (mut offsets, mut data) = (Vec::new(), Vec::new());
    let mut count = 0;
    for (n, entry) in entries.iter().enumerate() {
        match (flags, entry) {
            (1, Some(_)) => offsets.extend([short(n), short(data.len() / 4)].concat()),
            (1, None) => continue,
            (2, Some(_)) => offsets.extend(short(data.len() / 4)),
            (2, None) => offsets.extend(short(0xffff)),
            (_, Some(_)) => offsets.extend(long(data.len())),
            (_, None) => offsets.extend([0xff; 4]),
        }
        count += 1;
        data.extend(entry.iter().flatten());
    }
    offsets.resize(offsets.len().next_multiple_of(4), 0);
    let start = 20 + config.len() + offsets.len();
    let head = [&[type_id, flags, 0, 0][..], &long(count), &long(start), &config].concat();
    chunk(0x0201, &head, &[offsets, data].concat())
}

fn plain(key: usize, kind: u8, data: usize) -> Option<Vec<u8>> {
    Some([&short(8)[..], &short(0), &long(key), &short(8), &[0, kind], &long(data)].concat())
}

/// The entry of newer tools, in eight bytes: key, flags with the type above, value.
fn compact(key: usize, kind: u8, data: usize) -> Option<Vec<u8>> {
    Some([&short(key)[..], &[8, kind], &long(data)].concat())
}

/// A table of one package with one type.
fn table(strings: &[&str], wide: bool, package_id: usize, chunks: &[Vec<u8>]) -> Vec<u8> {
    let (types, keys) = (pool(&["string"], true), pool(&["app_name", "other"], false));
    let spec = chunk(0x0202, &[&[1, 0, 0, 0][..], &long(2)].concat(), &[long(4), long(4)].concat());
    let mut head = long(package_id).to_vec();
    head.extend([0; 256]);
    head.extend([long(288), long(1), long(288 + types.len()), long(2), long(0)].concat());
    let body = [types, keys, spec, chunks.concat()].concat();
    let package = chunk(0x0200, &head, &body);
    chunk(2, &long(1), &[pool(strings, wide), package].concat())
}

/// A ZIP file with one stored entry. `big` writes its numbers where those that do not fit are.
fn zip(name: &str, data: &[u8], big: bool) -> Vec<u8> {
    let size = if big { [0xff; 4] } else { long(data.len()) };
    let common = |extra: usize| [&[0; 14][..], &size, &size, &short(name.len()), &short(extra)].concat();
    let mut file = [&b"PK\x03\x04\x14\0"[..], &common(0)[2..], name.as_bytes(), data].concat();
    // The local header's own numbers do not matter.
    file.truncate(30 + name.len() + data.len());
    let at = file.len();
    let eight = |n: usize| (n as u64).to_le_bytes();
    let extra =
        if big { [&short(1)[..], &short(16), &eight(data.len()), &eight(data.len())].concat() } else { Vec::new() };
    let middle = [&[0; 12][..], &size, &size, &short(name.len()), &short(extra.len())].concat();
    let central = [&b"PK\x01\x02\x14\0\x14\0\0\0"[..], &middle[2..], &[0; 14], name.as_bytes(), &extra].concat();
    file.extend(&central);
    if big {
        let end_at = file.len();
        let end = [
            &b"PK\x06\x06"[..],
            &eight(44),
            &[45, 0, 45, 0],
            &[0; 8],
            &eight(1),
            &eight(1),
            &eight(central.len()),
            &eight(at),
        ];
        file.extend(end.concat());
        file.extend([&b"PK\x06\x07\0\0\0\0"[..], &eight(end_at), &long(1)].concat());
        file.extend([&b"PK\x05\x06\0\0\0\0"[..], &[0xff; 12], &[0, 0]].concat());
    } else {
        file.extend(
            [&b"PK\x05\x06\0\0\0\0"[..], &short(1), &short(1), &long(central.len()), &long(at), &short(0)].concat(),
        );
    }
    file
}

fn resource(file: &[u8], id: u32, language: &str) -> Result<ApkFacts, ApkError> {
    let read_file = |at: u64, len: usize| {
        let at = usize::try_from(at).unwrap().min(file.len());
        file[at..file.len().min(at + len)].to_vec()
    };
    let [short, long] = [Stride::SHORT, LONG]
        .map(|stride| read(file.len() as u64, &read_file, Question::Resource(id), &[language], stride).0);
    assert_eq!(short, long);
    short
}

fn text(file: &[u8], id: u32, language: &str) -> Option<(String, String)> {
    let label = resource(file, id, language).ok()?.label?;
    Some((label.text, label.locale.to_string()))
}

const ID: u32 = 0x7f01_0000;

#[test]
fn every_layout_of_entries() {
    let strings = ["Weather", "Wetter", "天気"];
    for wide in [false, true] {
        for (name, flags, entry) in [
            ("plain", 0, plain as fn(usize, u8, usize) -> Option<Vec<u8>>),
            ("sparse", 1, plain),
            ("two bytes", 2, plain),
            ("compact", 0, compact),
            ("compact, two bytes", 2, compact),
            ("compact, sparse", 1, compact),
        ] {
            let chunks = [
                values(1, flags, b"\0\0", &[entry(0, 3, 0), entry(1, 1, ID as usize)]),
                values(1, flags, b"ja", &[entry(0, 3, 2), None]),
                values(1, flags, b"de", &[entry(0, 3, 1), None]),
                values(1, flags, b"fr", &[None, entry(1, 1, ID as usize)]),
            ];
            let file = zip("resources.arsc", &table(&strings, wide, 0x7f, &chunks), false);
            let said = |id, language| text(&file, id, language).map(|(t, l)| format!("{t}/{l}"));
            for (language, label) in [("de-AT", "Wetter/de"), ("ja", "天気/ja"), ("fr", "Weather/"), ("it", "Weather/")]
            {
                assert_eq!(said(ID, language).as_deref(), Some(label), "{name} {language}");
                // By way of a reference, which is itself the same in French.
                assert_eq!(said(ID + 1, language).as_deref(), Some(label), "{name} {language}");
            }
            assert_eq!(said(ID + 2, "de"), None);
            assert_eq!(said(0x7f02_0000, "de"), None);
        }
    }
}

#[test]
fn languages_that_only_test_translations_are_never_chosen() {
    let strings = ["Weather", "[Ŵéåţĥéŕ one]", "‏rehtaeW‏", "[Ŵéţţéŕ one]"];
    let chunks = [
        values(1, 0, b"\0\0", &[plain(0, 3, 0), None]),
        values_for(1, 0, b"enXA", &[plain(0, 3, 1), plain(1, 3, 1)]),
        values_for(1, 0, b"deXA", &[plain(0, 3, 3), None]),
        values_for(1, 0, b"arXB", &[plain(0, 3, 2), None]),
    ];
    let file = zip("resources.arsc", &table(&strings, false, 0x7f, &chunks), false);
    for language in ["en-GB", "en", "en-XA", "ar-EG", "ar-XB", "de"] {
        assert_eq!(text(&file, ID, language), Some(("Weather".into(), String::new())), "{language}");
        assert_eq!(text(&file, ID + 1, language), None, "{language}: better none than one that nobody reads");
    }
}

#[test]
fn strings_of_every_length() {
    for length in [0, 1, 0x7f, 0x80, 0x3fff] {
        for wide in [false, true] {
            let long: String = "aé".chars().cycle().take(length / 2).collect();
            let chunks = [values(1, 0, b"\0\0", &[plain(0, 3, 1), None])];
            let file = zip("resources.arsc", &table(&["x", &long, "y"], wide, 0x7f, &chunks), false);
            assert_eq!(text(&file, ID, "de").map(|t| t.0).as_ref(), Some(&long), "{length} {wide}");
        }
    }
    // Longer than any label may be.
    let long = "a".repeat(0x7ff0);
    let chunks = [values(1, 0, b"\0\0", &[plain(0, 3, 0), None])];
    let file = zip("resources.arsc", &table(&[&long], true, 0x7f, &chunks), false);
    assert!(resource(&file, ID, "de").unwrap_err().to_string().contains("longer"));
}

#[test]
fn what_is_no_text_and_what_leads_nowhere() {
    let bag = Some([&short(16)[..], &short(1), &long(0), &long(0), &long(0)].concat());
    for (entry, says) in [
        (plain(0, 1, ID as usize), "circles"),
        (plain(0, 1, 0), "nothing"),
        (plain(0, 0x12, 1), "no text"),
        (plain(0, 3, 99), "fewer strings"),
        (bag, "no single value"),
        (None, "no such entry"),
    ] {
        let chunks = [values(1, 0, b"\0\0", &[entry, None])];
        let file = zip("resources.arsc", &table(&["x"], false, 0x7f, &chunks), false);
        let error = resource(&file, ID, "de").unwrap_err().to_string();
        assert!(error.contains(says), "{error}");
    }
    // A number is one that people read.
    let chunks = [values(1, 0, b"\0\0", &[plain(0, 0x10, 2048), None])];
    let file = zip("resources.arsc", &table(&["x"], false, 0x7f, &chunks), false);
    assert_eq!(text(&file, ID, "de").map(|t| t.0).as_deref(), Some("2048"));
    // Of the framework: another file has it.
    let chunks = [values(1, 0, b"\0\0", &[plain(0, 1, 0x0104_0005), None])];
    let file = zip("resources.arsc", &table(&["x"], false, 0x7f, &chunks), false);
    assert_eq!(resource(&file, ID, "de").unwrap().framework, Some(0x0104_0005));
    // Several at once, and others afterwards of what is known already.
    let chunks = [values(1, 0, b"\0\0", &[plain(0, 3, 0), plain(0, 3, 1)])];
    let file = zip("resources.arsc", &table(&["Weather", "Clock"], false, 0x7f, &chunks), false);
    let mut reader =
        wibbet_apk::ApkReader::new(file.len() as u64, Question::Resources(vec![ID + 1, ID + 7, ID]), vec![], LONG);
    let mut rounds = 0;
    let mut texts = || loop {
        match reader.step() {
            wibbet_apk::Step::Done(found) => {
                let texts = found.unwrap().texts.into_iter().map(|t| t.map(|t| t.text)).collect::<Vec<_>>();
                reader.ask(Question::Resources(vec![ID]));
                return (texts, std::mem::take(&mut rounds));
            }
            wibbet_apk::Step::Wants(wants) => {
                rounds += 1;
                for want in wants {
                    let at = want.start as usize;
                    reader.feed(want.start, &file[at..file.len().min(at + want.len)]);
                }
            }
        }
    };
    let (first, asked) = texts();
    assert_eq!(first, [Some("Clock".to_owned()), None, Some("Weather".to_owned())]);
    assert!(asked > 0);
    assert_eq!(texts(), (vec![Some("Weather".to_owned())], 0));
    // In the framework itself it is here.
    let chunks = [values(1, 0, b"\0\0", &[plain(0, 3, 0), None])];
    let file = zip("resources.arsc", &table(&["OK"], false, 1, &chunks), false);
    assert_eq!(text(&file, 0x0101_0000, "de").map(|t| t.0).as_deref(), Some("OK"));
}

#[test]
fn files_of_every_shape() {
    let chunks = [values(1, 0, b"\0\0", &[plain(0, 3, 0), None])];
    let small = zip("resources.arsc", &table(&["Label"], false, 0x7f, &chunks), false);
    let large = zip("resources.arsc", &table(&["Label"], false, 0x7f, &chunks), true);
    let end = small.len() - 22;
    let mut with_comment = small.clone();
    with_comment[end + 20..].copy_from_slice(&short(3000));
    // The comment begins like an end record.
    with_comment.extend(b"PK\x05\x06");
    with_comment.extend(vec![b'.'; 2996]);
    let with_prefix = [b"#!/bin/sh\n".to_vec(), small.clone()].concat();
    let with_garbage = [&small[..end], b"garbage", &small[end..]].concat();
    for (name, file) in [
        ("small", &small),
        ("large", &large),
        ("comment", &with_comment),
        ("prefix", &with_prefix),
        ("garbage", &with_garbage),
    ] {
        assert_eq!(text(file, ID, "de").map(|t| t.0).as_deref(), Some("Label"), "{name}");
    }
    for cut in 0..small.len() {
        assert!(resource(&small[..cut], ID, "de").is_err(), "{cut}");
    }
}

#[test]
fn attributes_of_every_kind() {
    let strings = ["label", "name", "manifest", "text"];
    let attribute = |name: usize, kind: u8, data: usize| {
        [&[0xff; 4][..], &long(name), &[0xff; 4], &short(8), &[0, kind], &long(data)].concat()
    };
    let attributes = [
        attribute(0, 1, 0x7f01_0000),
        attribute(1, 3, 3),
        attribute(3, 0x10, 7),
        attribute(3, 0x12, usize::MAX),
        attribute(3, 5, 1),
    ];
    let start =
        [&[0xff; 4][..], &long(2), &short(20), &short(20), &short(attributes.len()), &[0; 6], &attributes.concat()];
    let body = [
        pool(&strings, true),
        chunk(0x0180, &[], &[long(0x0101_0001), long(0x0101_0003)].concat()),
        chunk(0x0102, &[0; 8], &start.concat()),
        chunk(0x0103, &[0; 8], &[[0xff; 4], long(2)].concat()),
    ];
    let document = chunk(3, &[], &body.concat());
    let mut reader = XmlReader::new(&document).unwrap();
    let Some(wibbet_apk::Event::Start { name, attributes }) = reader.next_event().unwrap() else { panic!() };
    assert_eq!(&*name, "manifest");
    let found: Vec<(u32, &str, &Value)> = attributes.iter().map(|a| (a.id, &*a.name, &a.value)).collect();
    assert_eq!(
        found,
        [
            (0x0101_0001, "label", &Value::Reference(0x7f01_0000)),
            (0x0101_0003, "name", &Value::Text("text".into())),
            (0, "text", &Value::Number(7)),
            (0, "text", &Value::Bool(true)),
            (0, "text", &Value::Other),
        ]
    );
    assert_eq!(reader.next_event().unwrap(), Some(wibbet_apk::Event::End));
    assert_eq!(reader.next_event().unwrap(), None);
    assert_eq!(Config::default().conditions, 0);
}
