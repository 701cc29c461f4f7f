//! Labels of the bench devices' APKs.

use crate::support::{LONG, read};
use wibbet_apk::{Question, Stride};
use wibbet_sim::{SampleApk, Scenario};

#[test]
fn labels_in_several_languages_are_those_that_were_put_in() {
    let mut seen = std::collections::BTreeMap::new();
    for (name, scenario) in Scenario::all() {
        for (n, apk) in SampleApk::all_of(&scenario).enumerate() {
            *seen.entry(apk.oddity()).or_insert(0) += 1;
            let language = ["de", "ja", "uk", "zh-CN", "fr"][n % 5];
            let stride = if n % 2 == 0 { Stride::SHORT } else { LONG };
            let file = |at, len| apk.read(at, len);
            let (facts, _) = read(apk.size(), &file, Question::Label, &[language], stride);
            let label = facts.as_ref().ok().and_then(|f| f.label.as_ref()).map(|l| l.text.as_str());
            let put_in = [apk.label(language), apk.label("")];
            if apk.oddity() == "none" && !name.contains("seventh") {
                assert!(put_in.contains(&label), "{}: {label:?} is neither of {put_in:?}", apk.id);
            }
            if label.is_none() {
                assert_eq!(apk.label(""), None, "{}: {facts:?}", apk.id);
            }
            if let Ok(facts) = facts {
                assert_eq!(&*facts.manifest.package, apk.id);
                assert_eq!(facts.launchers.len(), usize::from(apk.launcher), "{}", apk.id);
            }
        }
    }
    assert!(seen.len() > 7, "{seen:?}");
}

/// By what others find an app, whom it talks to, and where its code runs.
#[test]
fn what_a_manifest_declares_is_read() {
    let scenario = Scenario::crew_phone();
    let manifest = |id: &str| {
        let apk = SampleApk::all_of(&scenario).find(|apk| apk.id == id).unwrap();
        let file = |at, len| apk.read(at, len);
        read(apk.size(), &file, Question::Label, &["en"], LONG).0.unwrap().manifest
    };
    let keys = manifest("com.android.inputmethod.latin");
    let service = keys.components.iter().find(|c| c.name.ends_with(".LatinIME")).unwrap();
    assert_eq!(&*service.filters[0].actions[0], "android.view.InputMethod");
    assert_eq!(service.permission.as_deref(), Some("android.permission.BIND_INPUT_METHOD"));
    assert_eq!((service.direct_boot, service.exported, service.remarks.len()), (true, Some(true), 1));
    assert!(!keys.core_app && !keys.persistent && keys.split.is_empty() && !keys.direct_boot);

    let settings = manifest("com.android.providers.settings");
    assert!(settings.core_app && settings.direct_boot && settings.shared_user.is_some());
    assert_eq!(settings.process.as_deref(), Some("system"));
    let provider = settings.components.iter().find(|c| c.authorities.as_deref() == Some("settings")).unwrap();
    assert!(provider.direct_boot, "as its application says");

    let home = manifest("com.android.settings");
    let fallback = home.components.iter().find(|c| c.name.ends_with("FallbackHome")).unwrap();
    assert_eq!(fallback.filters[0].priority, -1000);
    let dialer = manifest("com.android.dialer");
    let asked: Vec<&str> = dialer.queries.authorities.iter().map(|text| &**text).collect();
    assert_eq!(asked, ["com.android.contacts", "call_log"]);
    assert!(manifest("com.android.phone").persistent);
}

/// Whom the framework names, whatever the ids of its texts, and what is laid over it.
#[test]
fn texts_are_found_by_their_names() {
    const NAMES: &[&str] = &[
        "config_dozeComponent",
        "config_fusedLocationProviderPackageName",
        "config_systemUIServiceComponent",
        "config_tvRemoteServicePackage",
        "config_that_is_not_there",
    ];
    const LOCATION: (&str, &str) = ("config_fusedLocationProviderPackageName", "com.android.location.fused");
    const SCREEN: (&str, &str) =
        ("config_systemUIServiceComponent", "com.android.systemui/com.android.systemui.SystemUIService");
    let named = |scenario: &Scenario, id: &str, stride| -> Vec<(String, String)> {
        let apk = SampleApk::all_of(scenario).find(|apk| apk.id == id).unwrap();
        let file = |at, len| apk.read(at, len);
        let (facts, cost) = read(apk.size(), &file, Question::Named(NAMES), &["en"], stride);
        assert!(cost.rounds < 60, "{id}: {cost:?}");
        facts.unwrap().named
    };
    let of = |pairs: &[(&str, &str)]| -> Vec<(String, String)> {
        pairs.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect()
    };
    for stride in [Stride::SHORT, LONG] {
        assert_eq!(named(&Scenario::crew_phone(), "android", stride), of(&[LOCATION, SCREEN]));
        assert_eq!(named(&Scenario::spare_handset(), "android", stride), of(&[LOCATION]));
        let remote = ("config_tvRemoteServicePackage", "tv.tarnbek.remote");
        assert_eq!(named(&Scenario::waiting_room_tv(), "android", stride), of(&[LOCATION, SCREEN, remote]));
        let doze = ("config_dozeComponent", "com.corvane.aod/com.corvane.aod.SleepingScreen");
        assert_eq!(named(&Scenario::crew_phone(), "com.corvane.overlay.icons", stride), of(&[doze]));
        // An app has none of them, whatever its table is like.
        for id in ["com.android.music", "com.android.calendar", "com.android.systemui", "com.corvane.overlay.dark"] {
            assert_eq!(named(&Scenario::crew_phone(), id, stride), of(&[]), "{id}");
        }
    }
}

/// Of long tables not much is read, with short strides and with long ones, and neither takes long.
#[test]
fn long_chains_do_not_take_long() {
    let scenario = Scenario::crew_phone();
    let (mut rounds, mut bytes, mut whole) = ([0, 0], [0, 0], 0);
    for apk in SampleApk::all_of(&scenario).step_by(4) {
        let file = |at, len| apk.read(at, len);
        let both = [Stride::SHORT, LONG].map(|stride| read(apk.size(), &file, Question::Label, &["en-GB"], stride));
        assert_eq!(both[0].0, both[1].0, "{}", apk.id);
        for (n, (_, cost)) in both.iter().enumerate() {
            assert!(cost.rounds < [110, 65][n], "{}: {cost:?}", apk.id);
            rounds[n] += cost.rounds;
            bytes[n] += cost.bytes;
        }
        whole += apk.size();
    }
    assert!(rounds[1] * 4 < rounds[0] * 3, "{rounds:?}");
    assert!(bytes[0] * 2 < bytes[1] && bytes[1] * 12 < whole, "{bytes:?} of {whole}");
}
