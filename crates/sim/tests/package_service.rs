//! The package service of bench devices answers as those of their versions do.

use crate::support::linked;
use wibbet_adb::{Collected, Link, Service, Timeouts};
use wibbet_sim::{Scenario, SimDevice};

struct Phone {
    sim: SimDevice,
    link: Link,
    old: bool,
}

impl Phone {
    async fn start(scenario: Scenario) -> Self {
        let old = scenario.android.sdk < 24;
        let (sim, link) = linked(scenario).await;
        Self { sim, link, old }
    }

    /// What the package service says, output before errors.
    async fn pm(&self, words: &str) -> String {
        let service = if self.old {
            Service::OldShell(format!("pm {words}"))
        } else {
            Service::ShellV2(format!("cmd package {words}"))
        };
        self.call(service).await
    }

    async fn call(&self, service: Service) -> String {
        let mut said = Collected::default();
        self.link.call(&service, &Timeouts::default(), &mut said).await.unwrap();
        said.out.extend(said.err);
        String::from_utf8(said.out).unwrap()
    }
}

#[tokio::test]
async fn the_new_phone() {
    let phone = Phone::start(Scenario::crew_phone()).await;
    for (words, answer) in [
        ("uninstall --user 0 com.android.music", "Success"),
        ("uninstall --user 0 com.android.music", "Failure [not installed for 0]"),
        ("uninstall --user 10 com.android.egg", "Failure [not installed for 10]"),
        ("uninstall --user 0 no.such.package", "Failure [not installed for 0]"),
        ("uninstall --user 0 com.corvane.guardian", "Failure [DELETE_FAILED_DEVICE_POLICY_MANAGER]"),
        ("uninstall --user 0 com.corvane.fota", "Failure [-1000]"),
        ("uninstall --user x com.android.music", "Error: Invalid user: x"),
        ("uninstall com.android.calendar", "Failure [DELETE_FAILED_INTERNAL_ERROR]"),
        ("install-existing --user 0 com.android.music", "Package com.android.music installed for user: 0"),
        ("install-existing --user 0 no.such", "NameNotFoundException: Package no.such doesn't exist"),
        ("disable-user --user 0 com.android.music", "Package com.android.music new state: disabled-user"),
        ("default-state --user 0 com.android.music", "Package com.android.music new state: default"),
        ("enable --user 0 com.android.music", "Package com.android.music new state: enabled"),
        ("disable --user 0 com.android.music", "Shell cannot change component state for com.android.music/null to 2"),
        ("enable --user 0 com.android.stk", "Shell cannot change component state for com.android.stk/null to 1"),
        (
            "disable-user --user 0 com.android.managedprovisioning",
            "SecurityException: Cannot disable a protected package",
        ),
        ("disable-user --user 0 no.such", "IllegalArgumentException: Unknown package: no.such"),
        ("suspend --user 0 com.android.music", "Package com.android.music new suspended state: true"),
        ("unsuspend --user 0 com.android.music", "Package com.android.music new suspended state: false"),
        ("hide com.android.music", "android.permission.MANAGE_USERS"),
        ("clear --user 0 com.android.music", "Success"),
        ("path --user 0 com.android.music", "package:/product/app/Music/Music.apk"),
        ("frobnicate", "Unknown command: frobnicate"),
        ("list frobs", "unknown list type 'frobs'"),
    ] {
        let said = phone.pm(words).await;
        assert!(said.contains(answer), "{words}: {said}");
    }
    assert_eq!(phone.sim.holds("com.android.music", 0), Some((true, 1)));
}

#[tokio::test]
async fn an_update_goes_with_its_last_user_and_a_user_app_for_good() {
    let phone = Phone::start(Scenario::crew_phone()).await;
    let path = phone.pm("path com.android.webview").await;
    assert!(path.starts_with("package:/data/app/~~") && path.contains("=="), "{path}");
    let dump = phone.call(Service::ShellV2("dumpsys package com.android.webview".into())).await;
    assert!(dump.contains("UPDATED_SYSTEM_APP") && dump.contains("Hidden system packages:"));
    for user in [0, 10] {
        assert!(phone.pm(&format!("uninstall --user {user} com.android.webview")).await.contains("Success"));
    }
    assert!(phone.pm("path com.android.webview").await.starts_with("package:/product/app/webview/"));
    assert!(phone.pm("uninstall --user 0 fer.pellmoor.tides").await.contains("Success"));
    assert!(phone.pm("install-existing --user 0 fer.pellmoor.tides").await.contains("doesn't exist"));
    let gone = phone.call(Service::ShellV2("dumpsys package fer.pellmoor.tides".into())).await;
    assert_eq!(gone, "Unable to find package: fer.pellmoor.tides\n");
    assert!(phone.pm("uninstall -k --user 0 com.wrenandkelp.radio").await.contains("Success"));
    assert!(phone.pm("list packages -u").await.contains("package:com.wrenandkelp.radio\n"));
}

#[tokio::test]
async fn lists_with_their_flags() {
    let phone = Phone::start(Scenario::crew_phone()).await;
    let count = async |flags: &str| phone.pm(&format!("list packages {flags}")).await.lines().count();
    let (all, known) = (count("--user 0").await, count("-u --user 0").await);
    assert!(all < known && known == 236, "{all} {known}");
    assert_eq!(count("-u -3 --user 0").await, 5);
    assert_eq!(count("-u -s --user 0").await, 231);
    assert_eq!(count("-d --user 0").await + count("-e --user 0").await, all);
    let line = phone.pm("list packages -f -U -i --user 0 com.android.calculator2").await;
    assert!(line.starts_with("package:/product/app/ExactCalculator/ExactCalculator.apk=com.android.calculator2"));
    assert!(line.contains("installer=null") && line.contains("uid:10"), "{line}");
    let users = phone.pm("list users").await;
    assert_eq!(users, "Users:\n\tUserInfo{0:Crew:4c13} running\n\tUserInfo{10:Pellmoor work:1030} running\n");
}

#[tokio::test]
async fn the_old_phone() {
    let phone = Phone::start(Scenario::spare_handset()).await;
    for (words, answer) in [
        ("uninstall --user 0 com.android.music", "Success"),
        ("uninstall --user 0 com.android.music", "Failure - not installed for 0"),
        ("install-existing --user 0 com.android.music", "installed for user: 0"),
        // The shell got the permission with Android 7.
        (
            "disable-user --user 0 com.android.music",
            "Error: java.lang.SecurityException: Permission Denial: attempt to change component state from pid=4711, uid=2000",
        ),
        ("default-state --user 0 com.android.music", "Error: unknown command 'default-state'"),
        ("", "usage: pm list packages"),
    ] {
        let said = phone.pm(words).await;
        assert!(said.contains(answer), "{words}: {said}");
    }
    let dump = phone.call(Service::OldShell("dumpsys package com.android.music".into())).await;
    assert!(dump.contains("User 0:  installed=true hidden=false stopped=false") && dump.contains("pkgFlags=[ SYSTEM"));
    assert!(!dump.contains("suspended="), "that came with Android 7");
}

#[tokio::test]
async fn the_makers_second_switch_is_in_the_way() {
    let denial = "SecurityException: Attempt to change component state; pid=4711, uid=2000, package=com.android.music";
    let old =
        "SecurityException: Permission Denial: attempt to change component state from pid=4711, uid=2000, package uid=";
    let mut older = Scenario::crew_phone().with_android_8_1();
    (older.android.sdk, older.android.release) = (25, "7.1.2".into());
    for (mut scenario, denial) in [(Scenario::crew_phone(), denial), (older, old)] {
        scenario.second_switch_off = true;
        let phone = Phone::start(scenario).await;
        assert!(phone.pm("uninstall --user 0 com.android.music").await.contains("Failure [null]"));
        let said = phone.call(Service::ShellV2("pm disable-user --user 0 com.android.music".into())).await;
        assert!(said.contains(denial), "{said}");
        assert_eq!(phone.sim.holds("com.android.music", 0), Some((true, 0)));
    }
}

#[tokio::test]
async fn the_shell_knows_quotes_and_codes() {
    let phone = Phone::start(Scenario::crew_phone()).await;
    for (line, answer) in [
        ("echo 'a  b' \"c;d\" e\\ f", "a  b c;d e f\n"),
        ("nonsense; echo $?", "127\n/system/bin/sh: nonsense: not found\n"),
        ("getprop ro.serialno", "CT5-0417-2291\n"),
        ("dumpsys nothing", "Can't find service: nothing\n"),
        ("am get-current-user", "0\n"),
        ("", ""),
    ] {
        assert_eq!(phone.call(Service::ShellV2(line.into())).await, answer, "{line}");
    }
}
