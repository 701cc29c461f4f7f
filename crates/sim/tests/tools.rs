//! The file tools, dumps and screens of bench devices, as their versions have them.

use std::time::Duration;

use crate::support::linked;
use wibbet_adb::{Collected, Link, Service, SyncClient, Timeouts};
use wibbet_sim::{OwnerAction, SampleApk, Scenario};
use wibbet_types::DevicePath;

/// The raw output of a command.
async fn raw(link: &Link, command: &str) -> Vec<u8> {
    let mut said = Collected::default();
    link.call(&Service::Exec(command.to_owned()), &Timeouts::default(), &mut said).await.unwrap();
    said.out
}

async fn text(link: &Link, command: &str) -> String {
    String::from_utf8(raw(link, command).await).unwrap()
}

const CAMERA: &str = "/product/app/Camera2/Camera2.apk";

#[tokio::test]
async fn a_file_is_the_same_by_every_way() {
    let scenario = Scenario::crew_phone();
    let apk = SampleApk::all_of(&scenario).find(|a| a.id == "com.android.camera2").unwrap();
    let (_sim, link) = linked(scenario).await;
    let path: DevicePath = CAMERA.parse().unwrap();
    let mut sync = SyncClient::open(&link, Duration::from_secs(60)).await.unwrap();
    let missing: DevicePath = "/product/app/No/No.apk".parse().unwrap();
    let all = sync.stat_many(&[path.clone(), missing, path.clone()]).await.unwrap();
    assert_eq!(u64::from(all[0].size), apk.size());
    assert_eq!((all[1].mode, &all[2]), (0, &all[0]));
    let wanted = apk.read(1000, 700);
    for command in [
        format!("dd if='{CAMERA}' bs=64k iflag=skip_bytes,count_bytes skip=1000 count=700"),
        format!("{{ (dd bs=1 skip=999 count=1 of=/dev/null;head -c 700)<'{CAMERA}';}} 2>/dev/null"),
    ] {
        assert_eq!(raw(&link, &command).await, wanted, "{command}");
    }
    let blocks = raw(&link, &format!("dd if={CAMERA} bs=512 skip=1 count=3")).await;
    assert_eq!(blocks, apk.read(512, 1536));
    // Several files by one program, with a line in front of each; one that is not there is not named.
    let several = raw(&link, &format!("tail -c 22 {CAMERA} /no/such {CAMERA}")).await;
    let end = apk.read(apk.size() - 22, 22);
    let named = format!("==> {CAMERA} <==\n");
    assert_eq!(several, [named.as_bytes(), &end, b"\n", named.as_bytes(), &end].concat());
    assert_eq!(raw(&link, &format!("head -c 5 {CAMERA}")).await, apk.read(0, 5));
    assert!(text(&link, "dd if=/no/such bs=1 skip=0 count=4").await.contains("No such file"));
}

#[tokio::test]
async fn older_devices_have_older_tools() {
    let (_sim, link) = linked(Scenario::lost_phone()).await;
    let said = text(&link, "dd if=/x bs=64k iflag=skip_bytes,count_bytes skip=1 count=2").await;
    assert!(said.contains("bad iflag"), "{said}");
    let (_sim, link) = linked(Scenario::spare_handset()).await;
    assert!(text(&link, "tail -c 4 /x /y").await.contains("not found"));
    assert_eq!(text(&link, "ps -A").await.lines().count(), 2, "the option is a name there");
    assert!(text(&link, "ps").await.lines().count() > 10);
    assert!(!text(&link, "dumpsys diskstats").await.contains("Package Names"));
    assert!(text(&link, "dumpsys usagestats").await.contains("totalTime=\""));
    assert!(text(&link, "dumpsys meminfo").await.contains(" kB: "));
}

#[tokio::test]
async fn dumps_tell_of_the_same_packages_in_the_layout_of_their_version() {
    for (scenario, uid, first, front) in [
        (Scenario::crew_phone(), "    appId=", "      firstInstallTime=", "topResumedActivity"),
        (Scenario::desk_tablet(), "    userId=", "    firstInstallTime=", "topResumedActivity"),
        (Scenario::waiting_room_tv(), "    userId=", "    firstInstallTime=", "ResumedActivity"),
        (Scenario::lost_phone(), "    userId=", "    firstInstallTime=", "mResumedActivity"),
    ] {
        let name = scenario.model.clone();
        let (_sim, link) = linked(scenario).await;
        let dump = text(&link, "dumpsys package packages").await;
        for line in [uid, first, "    requested permissions:", "      runtime permissions:", "    splits=[base"] {
            assert!(dump.contains(&format!("\n{line}")), "{name}: {line}");
        }
        let stats = text(&link, "dumpsys diskstats").await;
        let list = |head: &str| stats.lines().find_map(|l| l.strip_prefix(head)).unwrap().split(',').count();
        let names = list("Package Names: ");
        assert!(["App Sizes: ", "App Data Sizes: ", "Cache Sizes: "].iter().all(|head| list(head) == names), "{name}");
        assert!(text(&link, "dumpsys activity activities | grep -i resumedactivity").await.contains(front), "{name}");
    }
}

#[tokio::test]
async fn what_is_touched_and_opened_is_on_the_screen() {
    let (sim, link) = linked(Scenario::crew_phone()).await;
    let front = || async { text(&link, "dumpsys window | grep mCurrentFocus").await };
    assert!(front().await.contains("com.corvane.launcher"));
    sim.act(OwnerAction::Touch("com.lanternquay.wordpier".into())).await.unwrap();
    assert!(front().await.contains("com.lanternquay.wordpier"));
    sim.act(OwnerAction::Touch("no.such.app".into())).await.unwrap();
    assert!(front().await.contains("com.lanternquay.wordpier"), "what is not there cannot be touched");
    let said = text(&link, "am start --user 0 -a android.settings.APPLICATION_DETAILS_SETTINGS -d package:com.a").await;
    assert!(said.contains("Starting") && front().await.contains("com.android.settings"));
    assert!(text(&link, "am start --user 0 -n com.android.shell/x.Y").await.contains("Error"));
    // A disabled app does not start.
    text(&link, "cmd package disable-user --user 0 com.corvane.radio").await;
    assert!(text(&link, "am start --user 0 -n com.corvane.radio/com.corvane.radio.Main").await.contains("Error"));
    let screen = sim.screen(None);
    assert!(screen.lines.iter().any(|l| l == "On the screen: Settings"), "{:?}", screen.lines);
}

/// The same device is the same each time, whatever was read of it before.
#[tokio::test]
async fn devices_are_the_same_each_time() {
    let (_one, first) = linked(Scenario::crew_phone()).await;
    let (_two, second) = linked(Scenario::crew_phone()).await;
    for command in ["dumpsys package packages", "dumpsys diskstats", "dumpsys usagestats", "dumpsys meminfo"] {
        assert_eq!(text(&first, command).await, text(&second, command).await, "{command}");
    }
    let grown = Scenario::crew_phone().grown(450);
    assert_eq!(grown.inventory.packages.len(), 450);
    let sizes = |scenario: &Scenario| SampleApk::all_of(scenario).take(40).map(|a| a.size()).collect::<Vec<_>>();
    assert_eq!(sizes(&grown), sizes(&Scenario::crew_phone()));
    let all: Vec<u64> = SampleApk::all_of(&Scenario::crew_phone()).map(|a| a.size()).collect();
    assert!(*all.iter().min().unwrap() > 10_000 && *all.iter().max().unwrap() < 45_000_000);
}
