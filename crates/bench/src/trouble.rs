//! What a missing rung means, and what to do about it.

use wibbet_adb::LinkError;
use wibbet_core::{Ladder, LinkTrouble, Rung};

/// The rung that a link error leaves missing, and the trouble in words.
pub fn trouble_of(error: &LinkError) -> (Rung, LinkTrouble) {
    let trouble =
        |name, seen: String, advice: &str, retrying| LinkTrouble { name, seen, advice: advice.into(), retrying };
    match error {
        LinkError::NoAnswer { at, why } => (
            Rung::Address,
            trouble(
                "no-answer",
                format!("no answer at {at}: {why}"),
                "On the device: Settings, Developer options, switch debugging on. Check the address and that both are on one network.",
                true,
            ),
        ),
        LinkError::NotADaemon { at, why } => (
            Rung::Daemon,
            trouble(
                "not-a-daemon",
                format!("{at} answers, but not as a debugging daemon: {why}"),
                "Check the port; debugging over the network is mostly on 5555.",
                true,
            ),
        ),
        LinkError::WantsTls { at } => (
            Rung::Authorised,
            trouble(
                "wants-tls",
                format!("{at} is a port of wireless debugging, which needs pairing"),
                "This version of Wibbet cannot pair yet. Use the older kind of network debugging, if the device has it.",
                false,
            ),
        ),
        LinkError::NotAuthorised { at, why } => (
            Rung::Authorised,
            trouble(
                "not-authorised",
                format!("{at} has not authorised this computer: {why}"),
                "Wake and unlock the device; at “Allow USB debugging?” tick “Always allow” and tap “Allow”.",
                true,
            ),
        ),
        LinkError::Lost { at, why } => (
            Rung::Address,
            trouble(
                "lost",
                format!("the link to {at} went: {why}"),
                "Check cable or network; it is tried again.",
                true,
            ),
        ),
        LinkError::Broken { at, rule } => (
            Rung::Daemon,
            trouble(
                "broken",
                format!("{at} broke a rule of the protocol: {rule}"),
                "Switch debugging off and on again on the device.",
                true,
            ),
        ),
    }
}

/// A ladder that has fallen because of an error.
pub fn fallen(error: &LinkError) -> Ladder {
    let (rung, trouble) = trouble_of(error);
    let mut ladder = Ladder::default();
    ladder.fall(rung, trouble);
    ladder
}
