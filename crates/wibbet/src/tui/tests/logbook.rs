//! The logbook.

use super::*;

/// A device that shares its serial with another one is named by its id in the record.
#[test]
fn the_logbook_names_devices_by_their_ids() {
    let mut screen = Screen::linked(100, 30);
    let second = DeviceFacts { id: "CT5-0417-2291.2".parse().unwrap(), ..testing::facts() };
    screen.tell(SessionEvent::Facts(Box::new(second), Capabilities::new(34, DaemonFeatures::default())));
    let of = |id: &str, number| Run {
        device: id.parse().unwrap(),
        number: RunId::new(number),
        ..run([Some(Outcome::Done); 3])
    };
    let runs = vec![of("CT5-0417-2291.2", 2), of("CT5-0417-2291", 1)];
    screen.keys("5");
    update(&mut screen.model, Message::Log(Ok(runs)));
    let text = screen.text();
    let line = |run: &str| text.lines().find(|line| line.contains(run)).unwrap();
    assert!(line("run 2").contains("Corvane Tarn 5 · CT5"), "{text}");
    assert!(!line("run 1").contains("Corvane"), "another device's run\n{text}");
    // One that another version has written is not said to be finished.
    let gaps = vec!["step 1: “freeze” is not a way".to_owned()];
    let foreign = Run { not_understood: gaps, ..of("CT5-0417-2291.2", 3) };
    update(&mut screen.model, Message::Log(Ok(vec![foreign.clone()])));
    assert!(screen.shows("not all understood"), "{}", screen.text());
    screen.tell(SessionEvent::Runs(vec![foreign].into()));
    screen.keys("\n");
    let text = screen.text();
    assert!(text.contains("Another version of Wibbet wrote a part of this") && text.contains("freeze"), "{text}");
    assert!(!text.contains("finished") && !text.contains("can be carried on"), "{text}");
}
