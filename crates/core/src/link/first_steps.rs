//! The newcomer's guide.

/// How a newcomer gets from nothing on the bench to a linked device, step by step.
pub fn first_steps() -> [(&'static str, &'static [&'static str]); 4] {
    [
        (
            "1  Make the developer options appear (once for each device)",
            &[
                "Settings, About: tap the build or OS version line seven times. On a TV: Settings, Device preferences, About, Build.",
                "The developer options are then under System, or at the end of the settings.",
            ],
        ),
        (
            "2  By cable",
            &[
                "In the developer options switch “USB debugging” on, then plug the device in. Some cables only charge.",
                "The device asks “Allow USB debugging?”: tick “Always allow”, tap “Allow”.",
                "Some makers put a second switch under USB debugging that permits changes; it may ask for an account.",
            ],
        ),
        (
            "3  By air, from Android 11 on",
            &[
                "In the developer options switch “Wireless debugging” on and open it.",
                "Then pair from the bench: scan the QR code with the device, or type the code that it shows.",
            ],
        ),
        (
            "4  By address: TVs and older devices",
            &[
                "Switch “Network debugging” on, or “USB debugging” on a TV, then add its address on the bench, with :5555 behind it.",
            ],
        ),
    ]
}
