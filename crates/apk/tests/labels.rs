//! Labels of the bench devices' APKs.

use crate::support::read;
use wibbet_apk::Question;
use wibbet_sim::{SampleApk, Scenario};

#[test]
fn labels_in_several_languages_are_those_that_were_put_in() {
    let mut seen = std::collections::BTreeMap::new();
    for (name, scenario) in Scenario::all() {
        for (n, apk) in SampleApk::all_of(&scenario).enumerate() {
            *seen.entry(apk.oddity()).or_insert(0) += 1;
            let language = ["de", "ja", "uk", "zh-CN", "fr"][n % 5];
            let walking = n % 2 == 0;
            let file = |at, len| apk.read(at, len);
            let (facts, _) = read(apk.size(), &file, Question::Label, &[language], walking);
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

/// Where chains cannot be followed on the device they are followed over the link, with larger and larger strides.
#[test]
fn long_chains_do_not_take_long() {
    let scenario = Scenario::crew_phone();
    let mut all = 0;
    for apk in SampleApk::all_of(&scenario).step_by(4) {
        let file = |at, len| apk.read(at, len);
        let (facts, led) = read(apk.size(), &file, Question::Label, &["en-GB"], false);
        let (walked_facts, walked) = read(apk.size(), &file, Question::Label, &["en-GB"], true);
        assert_eq!(facts, walked_facts, "{}", apk.id);
        assert!(led.rounds < 40 && walked.rounds < 20, "{}: {led:?} {walked:?}", apk.id);
        all += led.bytes;
    }
    assert!(all > 0);
}
