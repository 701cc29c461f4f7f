//! The table and the tray.

use super::*;

#[test]
fn marks_are_for_one_user_and_can_be_undone() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2u/calend\n ");
    assert!(screen.model.app.devices[0].tray.is_empty());
    assert!(screen.shows("is uninstalled for user 10 作業用; there is nothing to take out"));
    screen.keys("u ");
    assert_eq!(screen.model.app.devices[0].tray[0].user, UserId::OWNER);
    screen.keys("/\x1b:mark all found\n");
    assert_eq!(
        screen.model.app.devices[0].tray.len(),
        1,
        "without a search everything is found; that is not marked at once"
    );
    screen.keys("/android\nm");
    assert_eq!(screen.model.app.devices[0].tray.len(), 4);
    screen.keys("z");
    assert_eq!(screen.model.app.devices[0].tray.len(), 1);
    screen.keys("zz");
    assert!(screen.model.app.devices[0].tray.is_empty());
}

#[test]
fn what_is_pasted_is_one_harmless_line() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2/");
    update(&mut screen.model, Message::Terminal(Event::Paste("mus\u{1b}ic\nreboot".into())));
    assert_eq!(screen.model.app.devices[0].search.value(), "mus␛ic");
    screen.keys("\x1b");
    assert_eq!(screen.model.app.devices[0].found.len(), 7);
    update(&mut screen.model, Message::Terminal(Event::Paste("s".into())));
    assert!(screen.model.app.devices[0].search.value().is_empty(), "nobody is typing");
}

#[test]
fn the_cursor_keeps_its_package() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2/webview\n");
    screen.keys("/\x1b");
    assert_eq!(screen.model.app.devices[0].under_cursor().unwrap().as_str(), "com.android.webview");
    let mut fewer = inventory();
    fewer.packages.remove("android");
    screen.tell(SessionEvent::Inventory(Arc::new(fewer)));
    assert_eq!(screen.model.app.devices[0].under_cursor().unwrap().as_str(), "com.android.webview");
    screen.keys("/:disabled\n");
    assert_eq!(screen.model.app.devices[0].found.len(), 1);
    assert!(screen.shows("1 of 6 found"));
}

/// What is chosen is kept with each change, taken in where nothing has been chosen since, undone and done again.
#[test]
fn a_tray_outlives_the_program_and_goes_both_ways() {
    let mut screen = Screen::linked(128, 40);
    screen.keys("2/music\n ");
    let kept = screen.kept.last().cloned().unwrap();
    assert_eq!(kept.iter().map(ToString::to_string).collect::<Vec<_>>(), ["uninstall 0 com.android.music"]);
    screen.keys("z");
    assert!(screen.kept.last().unwrap().is_empty());
    screen.keys("Y");
    assert_eq!(screen.kept.last(), Some(&kept));

    let mut other = Screen::linked(128, 40);
    other.tell(SessionEvent::Tray(kept.clone()));
    other.keys("2");
    assert!(other.shows("1 chosen: uninstall 1"), "{}", other.text());
    assert!(other.kept.is_empty(), "it is as it was kept");
    // What somebody chooses meanwhile is not thrown away for it.
    let mut busy = Screen::linked(128, 40);
    busy.keys("2/calend\n ");
    busy.tell(SessionEvent::Tray(kept));
    assert_eq!(busy.model.app.devices[0].tray.len(), 1);
    assert_eq!(busy.model.app.devices[0].tray[0].id.as_str(), "com.android.calendar");
}

/// Every way is offered for one package or for all that is chosen, also those that leave it in use; one key takes all of it back.
#[test]
fn all_ways_are_offered_for_one_and_for_all() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("\n/calend\n /\x1b/music\n /\x1b");
    let ways = |screen: &Screen| screen.model.app.devices[0].tray.iter().map(|i| i.way).collect::<Vec<_>>();
    screen.keys("/android\n\x1bW");
    assert!(
        screen.shows("Ways for all 2 in the tray") && screen.shows("does nothing while nobody looks"),
        "{}",
        screen.text()
    );
    screen.keys("jjjj\n");
    assert_eq!(ways(&screen), [Change::Quieten; 2]);
    assert!(screen.shows("quieten 2"), "{}", screen.text());
    screen.keys("z");
    assert_eq!(ways(&screen), [Change::Uninstall; 2]);
    // One alone, that is marked by it where it was not.
    screen.keys("/webview\nW jjjjjjj\n");
    assert_eq!(ways(&screen)[2..], [Change::ClearData]);
    assert!(screen.shows("clear data"), "{}", screen.text());
    // The plan says what comes of it.
    screen.keys("\n");
    assert!(screen.shows("asks for its permissions anew"), "{}", screen.text());
}

/// An app of this computer's is taken into the tray, shown in the plan before all else, and let go of with the tray.
#[test]
fn an_app_is_chosen_among_files_and_goes_first() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("\n/music\n /\x1b.a");
    let folder = screen.model.app.apps_folder.join("");
    assert_eq!(screen.effects.last(), Some(&Effect::ListApps(folder.clone())));
    let file = |name: &str, is_folder| crate::tui::message::AppFile { name: name.into(), is_folder, bytes: 5_000 };
    let files = vec![file("parts", true), file("keys.apk", false), file("other.apk", false)];
    let effects = update(&mut screen.model, Message::Apps(folder.clone(), Ok(files)));
    screen.take(effects);
    assert!(screen.shows("keys.apk") && screen.shows("parts/"), "{}", screen.text());
    screen.keys("k");
    assert!(!screen.shows("other.apk"), "{}", screen.text());
    screen.keys("\n");
    let sent = Effect::Bench(BenchCommand::Session(0, SessionCommand::TakeIn(UserId::OWNER, folder.join("keys.apk"))));
    assert_eq!(screen.effects.last(), Some(&sent));
    let copy = testing::copy("fer.pellmoor.keys", &["base.apk"]);
    let taken = wibbet_bench::ops::TakenIn { copy: copy.clone(), declared: wibbet_core::package::Declared::default() };
    screen.tell(SessionEvent::TakenIn(UserId::OWNER, Box::new(taken)));
    assert!(screen.shows("install 1") && screen.shows("install first"), "{}", screen.text());
    screen.keys("\n");
    let review = screen.model.app.devices[0].reviewed().unwrap();
    let order: Vec<Change> = review.plan.steps.iter().map(|step| step.way).collect();
    assert_eq!(order, [Change::InstallCopy, Change::Uninstall]);
    screen.keys("\x1be");
    assert!(screen.effects.contains(&Effect::Bench(BenchCommand::Session(0, SessionCommand::DropCopy(copy)))));
    assert!(!screen.model.app.devices[0].has_something_to_do());
}

/// What is kept of another device of the model and was offered to its like stands before the files; whether it is offered is said on
/// the shelf.
#[test]
fn a_kept_copy_is_offered_to_the_like_of_its_device() {
    let mut screen = Screen::linked(140, 30);
    let copy = testing::copy("fer.pellmoor.tides", &["base.apk"]);
    screen.tell(SessionEvent::Copies { own: Arc::default(), offered: Arc::new(vec![copy.clone()]) });
    screen.keys("\n.a");
    assert!(screen.shows("copy 3 of CT5-0417-2291: fer.pellmoor.tides 14"), "{}", screen.text());
    screen.keys("\n");
    let sent = SessionCommand::TakeInKept(UserId::OWNER, copy.number);
    assert_eq!(screen.effects.last(), Some(&Effect::Bench(BenchCommand::Session(0, sent))));
    // On the device that it is of.
    screen.tell(SessionEvent::Copies { own: Arc::new(vec![copy.clone()]), offered: Arc::default() });
    let mut run = testing::run(7, &["fer.pellmoor.tides"]);
    run.steps = vec![testing::settled(0, "fer.pellmoor.tides", Outcome::Done)];
    screen.tell(SessionEvent::Runs(Arc::new(vec![run])));
    let mut inventory = inventory();
    inventory.packages.remove(&testing::id("fer.pellmoor.tides"));
    screen.tell(SessionEvent::Inventory(Arc::new(inventory)));
    screen.keys("4");
    assert!(screen.shows("back to in use, from its copy"), "{}", screen.text());
    screen.keys(".o");
    let sent = SessionCommand::OfferCopy(copy.number, true);
    assert_eq!(screen.effects.last(), Some(&Effect::Bench(BenchCommand::Session(0, sent))));
    let offered = wibbet_core::package::KeptCopy { offered: true, ..copy.clone() };
    screen.tell(SessionEvent::Copies { own: Arc::new(vec![offered]), offered: Arc::default() });
    assert!(screen.shows("in use, offered copy"), "{}", screen.text());
    screen.keys(".o");
    let sent = SessionCommand::OfferCopy(copy.number, false);
    assert_eq!(screen.effects.last(), Some(&Effect::Bench(BenchCommand::Session(0, sent))));
}

/// Parts are switched only where root was given; what is sent is shown before, and what was read back after.
#[test]
fn a_part_is_switched_as_root() {
    use wibbet_bench::ops::WantedPart;
    use wibbet_core::ask::PartSwitch;
    use wibbet_core::package::SwitchedParts;
    let mut screen = Screen::linked(100, 30);
    screen.keys("\n/music\n.p");
    assert!(!screen.shows("Parts of"), "{}", screen.text());
    screen.keys("\x1b");
    let root = Some(wibbet_core::android::RootWay::SuCommand);
    let capabilities = Capabilities { root, ..testing::capabilities(34) };
    screen.tell(SessionEvent::Facts(Box::new(testing::facts()), capabilities));
    screen.keys(".p.Offers");
    let words = "su -c 'pm disable --user 0 com.android.music/com.android.music.Offers'";
    assert!(screen.shows(words), "{}", screen.text());
    screen.keys("\n");
    assert!(
        screen
            .effects
            .iter()
            .all(|e| !matches!(e, Effect::Bench(BenchCommand::Session(_, SessionCommand::SwitchPart(_)))))
    );
    screen.keys("s\n");
    let part = "com.android.music.Offers".parse().unwrap();
    let wanted = WantedPart { id: testing::id("com.android.music"), user: UserId::OWNER, part, to: PartSwitch::Off };
    let sent = Effect::Bench(BenchCommand::Session(0, SessionCommand::SwitchPart(wanted.clone())));
    assert_eq!(screen.effects.iter().filter(|effect| **effect == sent).count(), 1, "once, until it is answered");
    let parts = SwitchedParts { off: vec!["com.android.music.Offers".into()], on: Vec::new() };
    screen.tell(SessionEvent::Parts(wanted.clone(), Some(parts)));
    assert!(screen.shows("off                    "), "{}", screen.text());
    assert!(screen.shows("pm default-state --user 0 com.android.music/com.android.music.Offers"), "{}", screen.text());
    // What is no class is not sent.
    screen.keys("\x1b.p$(reboot)\ns");
    let count = screen
        .effects
        .iter()
        .filter(|e| matches!(e, Effect::Bench(BenchCommand::Session(_, SessionCommand::SwitchPart(_)))));
    assert_eq!(count.count(), 1);
}

/// One key marks a package for each user who has it, and the same key for none of them.
#[test]
fn a_package_is_marked_for_all_who_have_it() {
    let mut screen = Screen::linked(100, 30);
    screen.keys("\n/music\nM");
    let users = |screen: &Screen| screen.model.app.devices[0].tray.iter().map(|i| i.user.number()).collect::<Vec<_>>();
    assert_eq!(users(&screen), [0, 10]);
    assert!(screen.shows("for 2 users"), "{}", screen.text());
    screen.keys("M");
    assert!(users(&screen).is_empty());
    // Who has it not is not asked to lose it.
    screen.keys("/\x1b/calend\nM");
    assert_eq!(users(&screen), [0]);
}
