//! Labels and manifest facts against an independent reader, Debian's `aapt`.

use std::process::Command;
use std::sync::Arc;

use crate::support::LONG;
use wibbet_apk::{ApkFacts, Value};
use wibbet_sim::{SampleApk, Scenario};

/// A line like `application-label-de:'Wetter'`.
fn said<'a>(badging: &'a str, name: &str) -> Option<&'a str> {
    let line = badging.lines().find_map(|l| l.strip_prefix(name)?.strip_prefix(":'"))?;
    line.strip_suffix('\'')
}

fn field(badging: &str, line: &str, name: &str) -> Option<String> {
    let line = badging.lines().find(|l| l.starts_with(line))?;
    let from = line.find(&format!("{name}='"))? + name.len() + 2;
    Some(line[from..].split('\'').next()?.to_owned())
}

fn aapt(file: &std::path::Path) -> String {
    let output = Command::new("aapt").args(["dump", "badging"]).arg(file).output();
    let output = output.expect("`aapt` is needed for this test; on Debian: apt-get install aapt");
    String::from_utf8_lossy(&output.stdout).into_owned()
}

fn check(id: &str, badging: &str, language: &str, facts: &ApkFacts) {
    let ours = facts.label.as_ref().map(|l| l.text.as_str());
    let name = format!("application-label-{language}");
    let theirs = said(badging, &name).or_else(|| said(badging, "application-label"));
    assert_eq!(ours.unwrap_or(""), theirs.unwrap_or("").replace("\\'", "'"), "{id} {language}");
    let manifest = &facts.manifest;
    assert_eq!(Some(&*manifest.package), field(badging, "package:", "name").as_deref(), "{id}");
    assert_eq!(Some(manifest.version_code.to_string()), field(badging, "package:", "versionCode"), "{id}");
    let version = manifest.version_name.as_ref().and_then(Value::text).map(str::to_owned);
    assert_eq!(version, field(badging, "package:", "versionName"), "{id}");
    let permissions: Vec<Arc<str>> = badging
        .lines()
        .filter_map(|l| l.strip_prefix("uses-permission: name='"))
        .map(|l| l.trim_end_matches('\'').into())
        .collect();
    assert_eq!(manifest.permissions, permissions, "{id}");
    if let Some(name) = field(badging, "launchable-activity:", "name") {
        assert_eq!(&*facts.launchers[0].name, name, "{id}");
        let label = field(badging, "launchable-activity:", "label").unwrap_or_default();
        let own = facts.launchers[0].label.as_ref().or(facts.label.as_ref()).map_or("", |l| l.text.as_str());
        if language.is_empty() {
            assert_eq!(own, label, "{id}");
        }
    }
}

#[test]
fn labels_agree_with_an_independent_reader() {
    let folder = std::env::temp_dir().join(format!("wibbet-aapt-{}", std::process::id()));
    std::fs::create_dir_all(&folder).unwrap();
    let mut compared = 0;
    // The newer device has layouts that this reader came before.
    for scenario in [Scenario::desk_tablet(), Scenario::spare_handset()] {
        for apk in SampleApk::all_of(&scenario).step_by(3) {
            if apk.size() > 12_000_000 || matches!(apk.oddity(), "cut" | "framework" | "no-entry" | "prefix") {
                continue;
            }
            let bytes = apk.read(0, usize::MAX);
            let file = folder.join("base.apk");
            std::fs::write(&file, &bytes).unwrap();
            let badging = aapt(&file);
            for language in ["de", "ja", "pt-BR", "en-AU"] {
                let facts = crate::support::read_bytes(&bytes, &[language]).unwrap();
                check(&apk.id, &badging, language, &facts);
                compared += 1;
            }
        }
    }
    std::fs::remove_dir_all(&folder).unwrap();
    assert!(compared > 300, "{compared}");
}

/// A line like `resource 0x01040005 android:string/config_dozeComponent: t=0x03 d=0x00000005 (s=0x0008 r=0x00)`, and below it the text.
#[test]
fn texts_have_the_names_that_an_independent_reader_sees() {
    const NAMES: &[&str] = &["config_fusedLocationProviderPackageName", "config_systemUIServiceComponent"];
    let scenario = Scenario::desk_tablet();
    let apk = SampleApk::all_of(&scenario).find(|apk| apk.id == "android").unwrap();
    let whole = apk.read(0, apk.size() as usize);
    let file = std::env::temp_dir().join(format!("wibbet-aapt-names-{}.apk", std::process::id()));
    std::fs::write(&file, &whole).unwrap();
    let output = Command::new("aapt").args(["dump", "--values", "resources"]).arg(&file).output().unwrap();
    let said = String::from_utf8_lossy(&output.stdout);
    std::fs::remove_file(&file).unwrap();
    let theirs = |name: &str| -> Option<String> {
        let mut lines = said.lines().skip_while(|line| !line.contains(&format!("string/{name}: t=")));
        let text = lines.nth(1)?.trim();
        Some(text.split_once('"')?.1.trim_end_matches('"').to_owned())
    };
    let bytes = |at: u64, len: usize| whole[at as usize..at as usize + len].to_vec();
    let (facts, _) = crate::support::read(apk.size(), &bytes, wibbet_apk::Question::Named(NAMES), &["en"], LONG);
    let ours = facts.unwrap().named;
    assert_eq!(ours.len(), NAMES.len());
    for (name, text) in ours {
        assert_eq!(theirs(&name).as_deref(), Some(text.as_str()), "{name}");
    }
}
