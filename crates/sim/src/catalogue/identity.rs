//! Who Android's own parts are to the system: the users that they share, the processes that they live in, and which of them
//! the system keeps running. From their manifests in the open-source system.

/// A user that several packages share, and its number; `None` where it gets one like any app.
const SHARED: [(&str, Option<u32>, &[&str]); 9] = [
    (
        "android.uid.system",
        Some(1000),
        &[
            "android",
            "com.android.dynsystem",
            "com.android.inputdevices",
            "com.android.keychain",
            "com.android.localtransport",
            "com.android.location.fused",
            "com.android.providers.settings",
            "com.android.server.telecom",
            "com.android.settings",
            "com.android.tv.settings",
            "com.android.wallpaperbackup",
        ],
    ),
    (
        "android.uid.phone",
        Some(1001),
        &[
            "com.android.mms.service",
            "com.android.ons",
            "com.android.phone",
            "com.android.providers.telephony",
            "com.android.simappdialog",
            "com.android.smspush",
            "com.android.stk",
        ],
    ),
    ("android.uid.bluetooth", Some(1002), &["com.android.bluetooth", "com.android.bluetoothmidiservice"]),
    ("android.uid.nfc", Some(1027), &["com.android.nfc"]),
    ("android.uid.se", Some(1068), &["com.android.se"]),
    (
        "android.uid.networkstack",
        Some(1073),
        &["com.android.cellbroadcastservice", "com.android.networkstack", "com.android.networkstack.tethering"],
    ),
    ("android.uid.shell", Some(2000), &["com.android.shell"]),
    (
        "android.media",
        None,
        &[
            "com.android.mtp",
            "com.android.providers.downloads",
            "com.android.providers.downloads.ui",
            "com.android.providers.media",
        ],
    ),
    (
        "android.uid.shared",
        None,
        &[
            "com.android.calllogbackup",
            "com.android.providers.blockednumber",
            "com.android.providers.contacts",
            "com.android.providers.userdictionary",
        ],
    ),
];

/// Processes whose names are not the ids of those that live in them. `system` is the framework's own.
const PROCESSES: [(&str, &[&str]); 5] = [
    (
        "system",
        &[
            "android",
            "com.android.inputdevices",
            "com.android.location.fused",
            "com.android.providers.settings",
            "com.android.server.telecom",
        ],
    ),
    (
        "com.android.phone",
        &["com.android.mms.service", "com.android.ons", "com.android.phone", "com.android.providers.telephony"],
    ),
    (
        "android.process.media",
        &[
            "com.android.mtp",
            "com.android.providers.downloads",
            "com.android.providers.downloads.ui",
            "com.android.providers.media",
        ],
    ),
    (
        "android.process.acore",
        &[
            "com.android.calllogbackup",
            "com.android.providers.blockednumber",
            "com.android.providers.contacts",
            "com.android.providers.userdictionary",
        ],
    ),
    (
        "com.android.networkstack.process",
        &["com.android.cellbroadcastservice", "com.android.networkstack", "com.android.networkstack.tethering"],
    ),
];

/// Parts that the system starts and starts again: `android:persistent`.
const PERSISTENT: [&str; 8] = [
    "android",
    "com.android.networkstack",
    "com.android.networkstack.tethering",
    "com.android.nfc",
    "com.android.phone",
    "com.android.se",
    "com.android.server.telecom",
    "com.android.systemui",
];

/// The user that a part shares, and its number where that is fixed.
pub(crate) fn shared_user(id: &str) -> Option<(&'static str, Option<u32>)> {
    SHARED.iter().find(|(.., ids)| ids.contains(&id)).map(|(name, number, _)| (*name, *number))
}

/// The name of the process that a package lives in.
pub(crate) fn process(id: &str) -> &str {
    PROCESSES.iter().find(|(_, ids)| ids.contains(&id)).map_or(id, |(name, _)| *name)
}

/// Whether the system keeps it running.
pub(crate) fn is_persistent(id: &str) -> bool {
    PERSISTENT.contains(&id)
}

/// How programs name a user of a number, for a user of the device. Source: `android_filesystem_config.h`, `fs_config`.
pub(crate) fn name_of(app_id: u32, user: u32) -> String {
    let named = match app_id {
        1000 => "system",
        1001 => "radio",
        1002 => "bluetooth",
        1027 => "nfc",
        1068 => "secure_element",
        1073 => "network_stack",
        2000 => "shell",
        _ => return format!("u{user}_a{}", app_id.saturating_sub(10_000)),
    };
    match user {
        0 => named.to_owned(),
        _ => format!("u{user}_{named}"),
    }
}
