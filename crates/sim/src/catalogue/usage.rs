//! What made-up apps ask for, take up, and how they are used.

use crate::seed::mix;

/// A permission that apps ask for, and how many of a hundred do.
const PERMISSIONS: [(&str, u64); 14] = [
    ("android.permission.INTERNET", 80),
    ("android.permission.ACCESS_NETWORK_STATE", 75),
    ("android.permission.RECEIVE_BOOT_COMPLETED", 60),
    ("android.permission.WAKE_LOCK", 55),
    ("android.permission.POST_NOTIFICATIONS", 45),
    ("android.permission.READ_PHONE_STATE", 30),
    ("android.permission.ACCESS_FINE_LOCATION", 22),
    ("android.permission.READ_CONTACTS", 20),
    ("android.permission.CAMERA", 16),
    ("android.permission.RECORD_AUDIO", 14),
    ("android.permission.SYSTEM_ALERT_WINDOW", 12),
    ("android.permission.READ_SMS", 8),
    ("android.permission.PACKAGE_USAGE_STATS", 7),
    ("android.permission.REQUEST_INSTALL_PACKAGES", 5),
];

/// What a package asks for.
pub(crate) fn permissions(id: &str) -> Vec<String> {
    let asks = |(n, (_, of_hundred)): (usize, &(&str, u64))| {
        let many = if super::labels::has_icon(id) { 2 } else { 1 };
        mix(&format!("{id}/{n}")) % 100 < of_hundred * many / 2
    };
    let mut all: Vec<String> =
        PERMISSIONS.iter().enumerate().filter(|p| asks(*p)).map(|(_, (name, _))| (*name).to_owned()).collect();
    all.push(format!("{id}.permission.INNER"));
    all.extend(OWN.iter().filter(|(own, _)| *own == id).map(|(_, name)| (*name).to_owned()));
    all
}

/// What single parts ask for because of what they do.
const OWN: [(&str, &str); 3] = [
    ("com.android.shell", "android.permission.INJECT_EVENTS"),
    ("com.android.systemui", "android.permission.STATUS_BAR_SERVICE"),
    ("tv.tarnbek.remote", "android.permission.INJECT_EVENTS"),
];

/// Whether somebody has to agree to a permission.
pub(crate) fn is_asked_for(permission: &str) -> bool {
    ["LOCATION", "CONTACTS", "CAMERA", "AUDIO", "SMS", "PHONE_STATE", "NOTIFICATIONS"]
        .iter()
        .any(|word| permission.contains(word))
}

/// What a user agreed to of what a package asks for, the first user to more than others.
pub(crate) fn given(id: &str, user: u32) -> std::collections::BTreeSet<String> {
    let agreed = |name: &String| is_asked_for(name) && (mix(name) ^ mix(id)) % 3 > u64::from(user > 0);
    permissions(id).into_iter().filter(agreed).collect()
}

/// Bytes of data and of cache.
pub(crate) fn data_sizes(id: &str) -> (u64, u64) {
    let n = mix(id);
    let large = if super::labels::has_icon(id) { 400_000 } else { 20_000 };
    let data = 24_576 + (n % 997) * (n / 997 % 101) * large / 1000;
    (data, 4096 + data / (3 + n % 7))
}

/// Kibibytes of memory of a running package; `None` for one that does not run.
pub(crate) fn memory(id: &str) -> Option<u64> {
    let n = mix(id) >> 7;
    let always = ["com.android.systemui", "com.android.phone", "com.android.bluetooth", "android"].contains(&id)
        || id.ends_with(".launcher")
        || id.ends_with("launcher3");
    (always || n % 100 < 28).then(|| 9_000 + n % 211 * n % 131_000 + if always { 120_000 } else { 0 })
}

/// Days since the last use and minutes of use in all; `None` for what was never in front.
pub(crate) fn usage(id: &str) -> Option<(u64, u64)> {
    let n = mix(id) >> 3;
    if !super::labels::has_icon(id) || n % 100 < 30 {
        return None;
    }
    let days = match n % 10 {
        0..=3 => n / 10 % 3,
        4..=6 => n / 10 % 40,
        _ => 60 + n / 10 % 260,
    };
    Some((days, 1 + n / 100 % 4000 / (1 + days)))
}

/// The app that shows the home screen.
pub(crate) fn home_screen(scenario: &crate::scenario::Scenario) -> String {
    let ids = || scenario.inventory.packages.iter().map(|p| p.id.as_str());
    let maker = ids().find(|id| id.ends_with(".launcher") && !id.starts_with("com.android"));
    maker.or_else(|| ids().find(|id| id.contains("launcher"))).unwrap_or("android").to_owned()
}
