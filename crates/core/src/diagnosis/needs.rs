//! What catch needs of a device, told before a run that may need it.

use std::time::Duration;

use crate::device::{DeviceKind, Vitals};

/// One thing that catch needs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CatchNeed {
    /// Whether it is so; `None` where that is not known.
    pub holds: Option<bool>,
    /// In words: what is so, or what to do about it.
    pub words: String,
}

/// So much of its battery is enough for an hour of starting over and over.
const BATTERY: u8 = 50;

/// What catch needs: a way in that is there while the device starts, and power to go on starting. `cable` where one leads to it, of
/// which the device is thought; by network nothing is reached before Android has started.
/// `start_took`: how long its last start took, where that was seen.
pub fn catch_needs(
    vitals: Option<&Vitals>,
    cable: bool,
    kind: DeviceKind,
    start_took: Option<Duration>,
) -> Vec<CatchNeed> {
    let key = vitals.and_then(|vitals| vitals.key_is_stored);
    let battery = vitals.and_then(|vitals| vitals.battery);
    let powered = battery.map(|battery| battery.powered || battery.percent >= BATTERY);
    let need = |holds: Option<bool>, so: &str, not: &str, unknown: &str| CatchNeed {
        holds,
        words: match holds {
            Some(true) => so.to_owned(),
            Some(false) => not.to_owned(),
            None => unknown.to_owned(),
        },
    };
    let mut needs = vec![
        need(
            key,
            "this computer's key is stored on it",
            "this computer was allowed once only: nobody can tap “Allow” on a device that does not start. Take the cable out and in again, and allow it with “Always” ticked",
            "whether it has stored this computer's key is not known: allow it with “Always” ticked",
        ),
        need(
            Some(cable),
            "a cable leads to it",
            "no cable leads to it: a device that starts over and over is not reached by air. Plug one in",
            "",
        ),
    ];
    // A TV has none.
    if battery.is_some() {
        needs.push(need(
            powered,
            "its battery will do",
            "its battery is low: charge it first, or leave it on its charger",
            "",
        ));
    }
    needs.push(CatchNeed {
        holds: start_took.map(|_| true),
        words: match start_took {
            Some(took) => format!("it takes about {} s to start: one that takes far longer is noticed", took.as_secs().max(1)),
            None => "how long it takes to start has not been seen: restarting it once shows that, and that this computer is let in by itself".into(),
        },
    });
    needs.push(CatchNeed { holds: None, words: recovery(kind).to_owned() });
    needs
}

/// How people get into the recovery of a kind of device. In general: makers differ.
fn recovery(kind: DeviceKind) -> &'static str {
    match kind {
        DeviceKind::Tv => {
            "its recovery, if it comes to that: out of its socket, then in again while its button, or reset hole, is held"
        }
        _ => {
            "its recovery, if it comes to that: switched off, then the power button held with volume up, on some with volume down"
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::device::Battery;

    #[test]
    fn what_is_missing_says_what_to_do() {
        let vitals = |stored, percent| Vitals {
            key_is_stored: stored,
            battery: Some(Battery { percent, powered: false }),
            ..Vitals::default()
        };
        let holds = |vitals: &Vitals, cable| {
            let took = Some(Duration::from_millis(41_900));
            let all = catch_needs(Some(vitals), cable, DeviceKind::Phone, took);
            assert!(all[3].words.contains("41 s"), "{all:?}");
            all.iter().map(|need| need.holds).collect::<Vec<_>>()
        };
        assert_eq!(holds(&vitals(Some(true), 80), true), [Some(true), Some(true), Some(true), Some(true), None]);
        assert_eq!(holds(&vitals(Some(false), 20), false), [Some(false), Some(false), Some(false), Some(true), None]);
        let tv = catch_needs(None, true, DeviceKind::Tv, None);
        assert_eq!(tv.iter().map(|need| need.holds).collect::<Vec<_>>(), [None, Some(true), None, None]);
        assert!(tv[3].words.contains("socket") && tv.iter().all(|need| !need.words.is_empty()));
    }
}
