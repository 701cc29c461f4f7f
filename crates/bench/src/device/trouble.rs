//! What an error means: the rung that is missing, and what to do.

use wibbet_adb::{LinkError, is_on_cable};
use wibbet_core::device::{DeviceFacts, DeviceKind};
use wibbet_core::link::{Advice, LinkTrouble, Rung};

use super::device::AskError;

/// The trouble that a link error means, with advice for the device as far as it is known.
pub fn trouble_of(error: &LinkError, facts: Option<&DeviceFacts>) -> LinkTrouble {
    let cable = is_on_cable;
    let (rung, advice, seen) = match error {
        LinkError::NoAnswer { at, why } if cable(at) => (Rung::Reached, Advice::CheckCable, format!("{at}: {why}")),
        LinkError::NoAnswer { at, why } => (Rung::Reached, Advice::CheckAddress, format!("no answer at {at}: {why}")),
        LinkError::NotADaemon { at, why } if cable(at) => {
            (Rung::Shell, Advice::Restart, format!("{at} does not speak the debugging protocol: {why}"))
        }
        LinkError::NotADaemon { at, why } => {
            (Rung::Interface, Advice::CheckPort, format!("{at} answers, but not as a debugging daemon: {why}"))
        }
        LinkError::NoInterface { at } => {
            (Rung::Interface, Advice::SwitchOnDebugging, format!("{at} is on the cable and offers no debugging"))
        }
        LinkError::Bootloader { at } => {
            (Rung::Interface, Advice::LeaveBootloader, format!("{at} is in its bootloader, not in Android"))
        }
        LinkError::NoPermission { at, node } => {
            (Rung::Free, Advice::Permission, format!("the system does not let this user open {at} ({node})"))
        }
        LinkError::NoDriver { at } => {
            (Rung::Free, Advice::Permission, format!("the system has no driver with which {at} may be used"))
        }
        LinkError::Taken { at } => {
            (Rung::Free, Advice::EndTheOther, format!("another program on this computer holds {at}"))
        }
        LinkError::NotPaired { at, why } => {
            (Rung::Authorised, Advice::Pair, format!("{at} does not know this computer: {why}"))
        }
        LinkError::NotAuthorised { at, why } => {
            (Rung::Authorised, Advice::AllowAfterAll, format!("{at} has not authorised this computer: {why}"))
        }
        LinkError::Lost { at, why } => {
            let advice = if cable(at) { Advice::CheckCable } else { Advice::CheckNetwork };
            (Rung::Reached, advice, format!("the link to {at} went: {why}"))
        }
        LinkError::Broken { at, rule } => {
            (Rung::Shell, Advice::Restart, format!("{at} broke a rule of the protocol: {rule}"))
        }
    };
    advised(rung, advice, seen, facts)
}

/// The trouble that it means when a device could not be asked what it is.
pub fn trouble_of_asking(error: &AskError, facts: Option<&DeviceFacts>) -> LinkTrouble {
    let advice = match error {
        AskError::NoLink(link) | AskError::Lost(link) => return trouble_of(link, facts),
        AskError::OtherDevice(_) => Advice::WrongDevice,
        AskError::NotProven(_) => Advice::NotProven,
        AskError::Taken(_) => Advice::EndTheOther,
        AskError::NotAndroid(_) => Advice::StartAndroid,
        AskError::Silent(_) | AskError::Broken(_) | AskError::Refused(_) => Advice::Restart,
    };
    advised(Rung::Shell, advice, error.to_string(), facts)
}

/// A trouble with advice for a device as far as it is known.
pub(crate) fn advised(rung: Rung, advice: Advice, seen: String, facts: Option<&DeviceFacts>) -> LinkTrouble {
    let kind = facts.map_or(DeviceKind::Unknown, |f| f.kind);
    let sdk = facts.map(|f| f.android.sdk());
    LinkTrouble::with(rung, advice, seen, advice.words(kind, sdk))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_another_device_is_called_one() {
        let why = || "what came back".to_owned();
        for (error, advice) in [
            (AskError::OtherDevice(why()), Advice::WrongDevice),
            (AskError::NotProven(why()), Advice::NotProven),
            (AskError::NotAndroid(why()), Advice::StartAndroid),
            (AskError::Silent(why()), Advice::Restart),
            (AskError::Broken(why()), Advice::Restart),
            (AskError::Refused(why()), Advice::Restart),
            (AskError::Lost(LinkError::NotPaired { at: "h:1".into(), why: why() }), Advice::Pair),
        ] {
            let trouble = trouble_of_asking(&error, None);
            assert_eq!((trouble.advice, trouble.seen.contains("what came back")), (advice, true), "{error:?}");
        }
    }
}
