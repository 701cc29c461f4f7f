//! What real devices say, version by version, wherever that is not what one would expect. Written from the source of Android.

use std::time::Duration;

use crate::support::{linked, linked_to};
use wibbet_adb::{Collected, Link, Service, Timeouts};
use wibbet_sim::{Allow, Fault, Scenario};

async fn text(link: &Link, command: &str) -> String {
    let mut said = Collected::default();
    let service = match link.banner().features.has(wibbet_adb::Feature::ShellV2) {
        true => Service::ShellV2(command.into()),
        false => Service::OldShell(command.into()),
    };
    link.call(&service, &Timeouts::default(), &mut said).await.unwrap();
    said.out.extend(said.err);
    String::from_utf8(said.out).unwrap().replace('\r', "")
}

fn android(mut scenario: Scenario, sdk: u32) -> Scenario {
    scenario.android.sdk = sdk;
    scenario
}

/// A scenario with something more said of one of its packages.
fn with(text: &str, of: &str, more: &str) -> Scenario {
    let line = format!("{{ id = \"{of}\", ");
    assert!(text.contains(&line), "{of}");
    Scenario::read(&text.replace(&line, &format!("{line}{more}, "))).unwrap()
}

const CREW: &str = include_str!("../scenarios/crew-phone.toml");

/// The client gives a dump 10 s unless it is told otherwise, and says at its end that it has run out of them.
#[tokio::test]
async fn dumps_have_a_time_limit() {
    for (sdk, words) in [(34, "(10000ms)"), (27, "(10s)")] {
        let (sim, link) = linked(android(Scenario::crew_phone(), sdk)).await;
        let whole = text(&link, "dumpsys package packages").await;
        sim.set_fault(Fault::SlowDumps(20));
        let cut = text(&link, "dumpsys package packages").await;
        let end = format!("*** SERVICE 'package' DUMP TIMEOUT {words} EXPIRED ***");
        assert!(cut.len() < whole.len() * 2 / 3 && cut.trim_end().ends_with(&end), "{sdk}");
        assert!(text(&link, "dumpsys meminfo").await.trim_start().starts_with("*** SERVICE 'meminfo'"));
        assert_eq!(text(&link, "dumpsys -t 60 package packages").await, whole);
    }
    // Before Android 7 there is neither.
    let (sim, link) = linked(Scenario::spare_handset()).await;
    sim.set_fault(Fault::SlowDumps(20));
    assert!(!text(&link, "dumpsys package packages").await.contains("EXPIRED"));
    assert!(text(&link, "dumpsys -t 60 package packages").await.contains("Can't find service: -t"));
}

/// What is left of somebody's own app whose data were kept: up to Android 13 the flag says that it is installed.
#[tokio::test]
async fn an_app_that_went_with_its_data_kept_is_told_by_its_missing_code() {
    for (sdk, flag) in [(33, "installed=true"), (34, "installed=false")] {
        let (_sim, link) = linked(android(Scenario::crew_phone(), sdk)).await;
        let own = "fer.pellmoor.tides";
        assert!(text(&link, &format!("cmd package uninstall -k --user 0 {own}")).await.contains("Success"));
        let dump = text(&link, &format!("dumpsys package {own}")).await;
        let user = dump.lines().find(|l| l.starts_with("    User 0:")).unwrap();
        assert!(
            dump.contains("\n    pkg=null\n") && !dump.contains("\n    flags=[") && user.contains(flag),
            "{sdk}: {dump}"
        );
        assert!(!text(&link, "cmd package list packages --user 0").await.contains(own));
        assert!(text(&link, "cmd package list packages -u --user 0").await.contains(own));
        let back = text(&link, &format!("cmd package install-existing --user 0 {own}")).await;
        assert!(back.contains("doesn't exist"), "{back}");
    }
}

/// Uninstalling for a user also resets the parts that the app has switched, and what the user gave it.
#[tokio::test]
async fn parts_and_permissions_go_with_an_app() {
    let scenario = with(
        CREW,
        "com.android.messaging",
        "parts_off = [\"com.android.messaging.Setup\"], parts_on = [\"com.android.messaging.Fax\"]",
    );
    let (_sim, link) = linked(scenario).await;
    let dump = async || text(&link, "dumpsys package com.android.messaging").await;
    let before = dump().await;
    assert!(before.contains("      disabledComponents:\n        com.android.messaging.Setup\n"), "{before}");
    assert!(before.contains("      enabledComponents:\n        com.android.messaging.Fax\n"), "{before}");
    let given = |dump: &str| dump.lines().filter(|l| l.contains("granted=true, flags=[ USER_SET ]")).count();
    let had = given(&before);
    assert!(had > 0);
    text(&link, "cmd package uninstall --user 0 com.android.messaging").await;
    text(&link, "cmd package install-existing --user 0 com.android.messaging").await;
    let after = dump().await;
    assert!(
        given(&after) < had
            && after.matches("disabledComponents:").count() < before.matches("disabledComponents:").count()
    );
    let permission = before.lines().find(|l| l.contains("granted=true, flags=[ USER_SET ]")).unwrap().trim();
    let permission = permission.split(':').next().unwrap();
    assert_eq!(text(&link, &format!("pm grant --user 0 com.android.messaging {permission}")).await, "");
    assert!(given(&dump().await) > given(&after));
    let not_asked = text(&link, "pm grant --user 0 com.android.messaging android.permission.REBOOT").await;
    assert!(not_asked.contains("has not requested permission"), "{not_asked}");
}

/// Lists name what manifests name; the dump names what the system keeps.
#[tokio::test]
async fn names_that_differ_between_lists_and_dumps() {
    let scenario = with(CREW, "com.android.egg", "real_name = \"com.android.egg.renamed\"");
    let text_of = CREW.replace(
        "packages = [\n",
        "packages = [\n  { id = \"io.tidewrack.weblibrary_653310938\", path = \"/data/app/~~a==/io.tidewrack.weblibrary_653310938-b==\", kind = \"user\", static_library = 653310938 },\n",
    );
    let (_sim, link) = linked(scenario).await;
    let dump = text(&link, "dumpsys package com.android.egg").await;
    assert!(
        dump.contains("  Package [com.android.egg.renamed] (") && dump.contains("    compat name=com.android.egg\n")
    );
    assert!(text(&link, "cmd package list packages").await.contains("package:com.android.egg\n"));
    let (_sim, link) = linked(Scenario::read(&text_of).unwrap()).await;
    let dump = text(&link, "dumpsys package packages").await;
    assert!(dump.contains("  Package [io.tidewrack.weblibrary_653310938] ("));
    assert!(dump.contains("    static library:\n      name:io.tidewrack.weblibrary version:653310938\n"));
    let list = text(&link, "cmd package list packages -f").await;
    assert!(list.contains("/base.apk=io.tidewrack.weblibrary\n"), "{list}");
}

/// A package whose own manifest has it off is so with the setting 0; only the list goes by what that comes to.
#[tokio::test]
async fn what_is_off_by_its_manifest() {
    let (_sim, link) = linked(with(CREW, "com.android.music", "off_by_manifest = true")).await;
    let dump = text(&link, "dumpsys package com.android.music").await;
    assert!(dump.contains("enabled=0 "));
    assert!(text(&link, "cmd package list packages -d --user 0").await.contains("package:com.android.music\n"));
    text(&link, "cmd package enable --user 0 com.android.music").await;
    assert!(!text(&link, "cmd package list packages -d --user 0").await.contains("package:com.android.music\n"));
}

#[tokio::test]
async fn profiles_and_what_is_forbidden_for_them() {
    let profile = "{ id = 10, name = \"Pellmoor work\", flags = 0x1030, running = true, few_apps = true }";
    let few = profile.replace(" }", ", restrictions = [\"no_uninstall_apps\"] }");
    let scenario = with(&CREW.replace(profile, &few), "com.android.egg", "not_given = [10]");
    let (sim, link) = linked(scenario).await;
    let list =
        async |user: u32| text(&link, &format!("cmd package list packages -s --user {user}")).await.lines().count();
    let (owner, profile) = (list(0).await, list(10).await);
    assert!(profile + 40 < owner, "{owner} {profile}");
    let dump = text(&link, "dumpsys package com.android.egg").await;
    let of_profile = &dump[dump.find("    User 10:").unwrap()..];
    assert!(
        of_profile.contains("installed=false") && of_profile.contains("\n      uninstallReason=1\n"),
        "{of_profile}"
    );
    let users = text(&link, "dumpsys user").await;
    let of_profile = &users[users.find("UserInfo{10:").unwrap()..];
    assert!(of_profile.contains("    Effective restrictions:\n      no_uninstall_apps\n"), "{users}");
    let said = text(&link, "cmd package uninstall --user 10 com.android.wallpaperbackup").await;
    assert!(said.contains("Failure [DELETE_FAILED_USER_RESTRICTED]"), "{said}");
    assert_eq!(sim.holds("com.android.wallpaperbackup", 10), Some((true, 0)));
}

/// Up to Android 8 use is told by the owner's locale, on 9 with the digits of the language; from 10 on as plain numbers too.
#[tokio::test]
async fn use_is_told_in_the_form_of_its_version() {
    let language = |sdk, languages: &str| {
        let mut scenario = android(Scenario::crew_phone(), sdk);
        scenario.languages = languages.into();
        scenario
    };
    for (sdk, languages, command, wanted) in [
        (27, "de-DE", "dumpsys usagestats", "lastTime=\"23.11.2026, 0"),
        (23, "es-ES", "dumpsys usagestats", "lastTime=\"23/11/2026, 0"),
        (28, "fa-IR", "dumpsys usagestats", "lastTimeUsed=\"۲۰۲۶-۱۱-"),
        (34, "en-GB", "dumpsys usagestats", "lastTimeUsed=\"2026-11-"),
        (34, "fa-IR", "dumpsys -t 30 usagestats -c", "lastTimeUsed=179"),
        (34, "fa-IR", "dumpsys -t 30 usagestats -c", "    beginTime=1766"),
    ] {
        let (_sim, link) = linked(language(sdk, languages)).await;
        let said = text(&link, command).await;
        assert!(said.contains(wanted), "{sdk} {languages}: {said}");
    }
}

/// A crash of the framework leaves the property that says that it has started; what counts its starts came with Android 10.
#[tokio::test]
async fn a_crash_of_the_framework_is_counted_from_android_10_on() {
    for (sdk, count) in [(28, "\n"), (34, "3\n")] {
        let (sim, link) = linked(android(Scenario::crew_phone(), sdk)).await;
        sim.set_fault(Fault::FrameworkCrashes(2));
        assert_eq!(text(&link, "getprop sys.boot_completed").await, "1\n");
        assert_eq!(text(&link, "getprop sys.system_server.start_count").await, count);
    }
}

/// Who answers what the system asks for; what is off or not installed answers nothing.
#[tokio::test]
async fn intents_and_who_answers_them() {
    let (_sim, link) = linked(Scenario::crew_phone()).await;
    let ask = "cmd package query-activities --brief --user 0 -a android.intent.action.INSTALL_PACKAGE";
    let said = text(&link, ask).await;
    assert!(
        said.starts_with("1 activities found:\n")
            && said.ends_with("\n    com.android.packageinstaller/.InstallStart\n")
    );
    text(&link, "cmd package uninstall --user 0 com.android.packageinstaller").await;
    assert_eq!(text(&link, ask).await, "No activities found\n");
}

/// Processes are named as apps please; who they run as is the system's word.
#[tokio::test]
async fn processes_and_whom_they_run_as() {
    let (_sim, link) = linked(Scenario::crew_phone()).await;
    let list = text(&link, "ps -A -o USER,PID,PPID,RSS,NAME").await;
    let row = |name: &str| {
        let line = list.lines().find(|l| l.split_whitespace().last() == Some(name));
        line.map(|l| l.split_whitespace().map(str::to_owned).collect::<Vec<_>>()).unwrap_or_default()
    };
    assert_eq!(
        list.lines().next().unwrap().split_whitespace().collect::<Vec<_>>(),
        ["USER", "PID", "PPID", "RSS", "NAME"]
    );
    assert_eq!((row("com.android.phone")[0].as_str(), row("system_server")[0].as_str()), ("radio", "system"));
    let nest = row("zygote64")[1].clone();
    assert_eq!((&row("com.android.phone")[2], row("surfaceflinger")[2] == nest), (&nest, false));
    // Several parts in one process, under a name that is nobody's id.
    assert!(list.contains(" com.corvane.persistent") && !list.contains(" com.corvane.security\n"));
    let dump = text(&link, "dumpsys package com.android.phone").await;
    assert!(dump.contains("    appId=1001\n    sharedUser=SharedUserSetting{"), "{dump}");
    assert!(dump.contains("android.uid.phone/1001}") && dump.contains("PERSISTENT"), "{dump}");
}

/// What packages that share a user may do is told with that user, and not with them.
#[tokio::test]
async fn what_shared_users_may_do() {
    for (sdk, id) in [(34, "    appId=1001"), (30, "    userId=1001")] {
        let (_sim, link) = linked(android(Scenario::crew_phone(), sdk)).await;
        let own = text(&link, "dumpsys package com.android.phone").await;
        assert!(own.contains("requested permissions:") && !own.contains("install permissions:"), "{own}");
        let shared = text(&link, "dumpsys package shared-users").await;
        let phone = shared.split("  SharedUser [").find(|part| part.starts_with("android.uid.phone]")).unwrap();
        assert!(
            phone.contains(id) && phone.contains("install permissions:") && phone.contains("granted=true"),
            "{phone}"
        );
        assert!(phone.contains("PackageSetting{") && phone.contains(" com.android.phone/1001}"), "{phone}");
    }
}

/// The short form of the dump: a tenth of the bytes, and the same states.
#[tokio::test]
async fn the_short_form_of_the_dump() {
    let weather = |text: &str| -> Vec<String> {
        let lines = text.lines().skip_while(|l| !l.starts_with("pkg,com.corvane.weather,"));
        let own = lines.take_while(|l| l.starts_with("pkg,com.corvane.weather,") || l.starts_with("pkg-"));
        own.map(str::to_owned).collect()
    };
    for (sdk, flags) in [(34, "IBsusLiavpi"), (27, "IbsusLiavpi"), (24, "IbsusL"), (22, "IbsL")] {
        let mut scenario = android(Scenario::crew_phone(), sdk);
        let package = scenario.inventory.packages.iter_mut().find(|p| p.id == "com.corvane.weather").unwrap();
        if sdk == 34 {
            package.hidden = vec![0];
        }
        let (_sim, link) = linked(scenario).await;
        let short = text(&link, "dumpsys package --checkin packages").await;
        assert!(short.starts_with("vers,1\n"), "{sdk}");
        let own = weather(&short);
        assert!(own[1].starts_with("pkg-splt,base,"), "{own:?}");
        assert!(own.iter().any(|l| l.starts_with(&format!("pkg-usr,0,{flags},0,?"))), "{sdk} {own:?}");
        assert!(short.contains("dis,com.corvane.weather,"));
        let whole = text(&link, "dumpsys package packages").await;
        assert!(short.len() * 10 < whole.len() * 2, "{} of {}", short.len(), whole.len());
    }
    // Who is gone is not there, and nothing says so.
    let (_sim, link) = linked(Scenario::crew_phone()).await;
    let gone = text(&link, "dumpsys package --checkin com.nobody").await;
    assert!(gone.starts_with("vers,1\n") && !gone.contains("nobody"), "{gone}");
    // An app whose code went with its last user: no line of its parts, and up to Android 13 the flag stays.
    for (sdk, flag) in [(33, "I"), (34, "i")] {
        let (_sim, link) = linked(android(Scenario::crew_phone(), sdk)).await;
        assert!(text(&link, "cmd package uninstall -k --user 0 fer.pellmoor.tides").await.contains("Success"));
        let left = text(&link, "dumpsys package --checkin fer.pellmoor.tides").await;
        assert!(!left.contains("-splt") && left.contains(&format!("pkg-usr,0,{flag}")), "{left}");
    }
}

/// Up to Android 8.1 no data sizes; none at all before the device was idle on its charger, or was told to work them out.
#[tokio::test]
async fn sizes_that_are_not_told() {
    let (_sim, link) = linked(Scenario::store_phone()).await;
    let told = text(&link, "dumpsys diskstats").await;
    assert!(told.contains("App Sizes: [") && !told.contains("App Data Sizes:"), "{told}");
    let (_sim, link) = linked(Scenario::boxed_tablet()).await;
    assert!(!text(&link, "dumpsys diskstats").await.contains("Sizes:"));
    assert!(text(&link, "cmd jobscheduler run -f android 7").await.contains("Could not find job 7"));
    assert!(text(&link, "cmd jobscheduler run -f android 1145656139").await.contains("Running job"));
    assert!(!text(&link, "dumpsys diskstats").await.contains("Sizes:"), "it takes its time");
}

/// A computer that was allowed without "always" is not among those that are stored.
#[tokio::test]
async fn computers_that_are_allowed_once_are_not_stored() {
    for (allow, stored) in [(Allow::After(Duration::ZERO), true), (Allow::Once(Duration::ZERO), false)] {
        let (_sim, link) = linked_to(Scenario::crew_phone(), allow).await;
        let told = text(&link, "dumpsys adb").await;
        assert!(told.contains("user_keys=") && told.contains("QAAAA") == stored, "{told}");
    }
}

/// What the system counts on, as it names it itself.
#[tokio::test]
async fn parts_that_the_system_counts_on() {
    let (_sim, link) = linked(Scenario::crew_phone()).await;
    let known = text(&link, "dumpsys package known-packages").await;
    assert!(known.contains("  Installer:\n    com.android.packageinstaller\n"), "{known}");
    let scenario = with(CREW, "com.corvane.notes", "archived = true, gone_for = [0]");
    let (_sim, link) = linked(android(scenario, 35)).await;
    let dump = text(&link, "dumpsys package com.corvane.notes").await;
    assert!(dump.contains("installed=false") && dump.contains("archiveTime="), "{dump}");
}

/// Who uses whom at this moment: the process behind each end is told by number, name and user, a provider's by an arrow.
#[tokio::test]
async fn who_uses_whom_now() {
    let (_sim, link) = linked(Scenario::crew_phone()).await;
    let services = text(&link, "dumpsys activity services").await;
    let typing =
        services.split("  * ServiceRecord{").find(|one| one.contains(" u0 com.corvane.keyboard/.CorvaneKeys}"));
    let typing = typing.unwrap_or_else(|| panic!("{services}"));
    assert!(
        typing.contains("packageName=com.corvane.keyboard\n")
            && typing.contains("    Bindings:\n    * IntentBindRecord{")
    );
    assert!(typing.contains("      * Client AppBindRecord{") && typing.contains(" 640:system/1000}}\n"), "{typing}");
    let providers = text(&link, "dumpsys activity providers").await;
    let of = |class: &str| {
        let found = providers.split("  * ContentProviderRecord{").find(|one| one.contains(class));
        found.unwrap_or_else(|| panic!("{providers}")).to_owned()
    };
    let dates = of(" u0 com.android.providers.calendar/.CalendarProvider2}");
    assert!(dates.contains("authority=com.android.calendar\n") && dates.contains("    Connections:\n      -> "));
    assert!(dates.contains(":com.android.calendar/u0a"), "{dates}");
    assert!(of("/.SettingsProvider}").contains(" 640:system/1000 s1/1"));
}

/// With what people lock the screen; a profile tells a word that nobody types.
#[tokio::test]
async fn how_the_screen_is_locked() {
    let (_sim, link) = linked(Scenario::crew_phone()).await;
    let locks = text(&link, "dumpsys lock_settings").await;
    let of = |user: &str| locks.split("  User ").find(|one| one.starts_with(user)).unwrap().to_owned();
    assert!(of("0\n").contains("    CredentialType: PIN\n") && of("10\n").contains("    CredentialType: PASSWORD\n"));
    let (_sim, link) = linked(android(Scenario::crew_phone(), 29)).await;
    assert!(!text(&link, "dumpsys lock_settings").await.contains("CredentialType"));
}
