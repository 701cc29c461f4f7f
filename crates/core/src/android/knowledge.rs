//! What is known of Android whatever the device.

/// What a permission lets an app do, in words, for those that are worth noting; `None` for the many others.
pub fn permission_words(permission: &str) -> Option<&'static str> {
    const WORDS: [(&str, &str); 32] = [
        ("ACCESS_BACKGROUND_LOCATION", "see where the device is, at any time"),
        ("ACCESS_COARSE_LOCATION", "see roughly where the device is"),
        ("ACCESS_FINE_LOCATION", "see exactly where the device is"),
        ("ACTIVITY_RECOGNITION", "count steps and see how the device is carried"),
        ("ANSWER_PHONE_CALLS", "answer calls"),
        ("BIND_ACCESSIBILITY_SERVICE", "read the screen and act on it"),
        ("BIND_DEVICE_ADMIN", "manage the device"),
        ("BIND_INPUT_METHOD", "be a keyboard"),
        ("BLUETOOTH_SCAN", "look for devices nearby"),
        ("BODY_SENSORS", "read the heart rate and the like"),
        ("CALL_PHONE", "make calls"),
        ("CAMERA", "take pictures"),
        ("GET_ACCOUNTS", "see who is signed in"),
        ("INSTALL_PACKAGES", "install apps without asking"),
        ("INTERNET", "use the network"),
        ("MANAGE_EXTERNAL_STORAGE", "read and change all files"),
        ("PACKAGE_USAGE_STATS", "see which apps are used"),
        ("POST_NOTIFICATIONS", "show notifications"),
        ("QUERY_ALL_PACKAGES", "see which apps are installed"),
        ("READ_CALENDAR", "read the calendar"),
        ("READ_CALL_LOG", "see who was called"),
        ("READ_CONTACTS", "read the contacts"),
        ("READ_EXTERNAL_STORAGE", "read files"),
        ("READ_PHONE_STATE", "see number, SIM and calls"),
        ("READ_SMS", "read messages"),
        ("RECEIVE_BOOT_COMPLETED", "start with the device"),
        ("RECORD_AUDIO", "listen"),
        ("REQUEST_INSTALL_PACKAGES", "offer apps for installation"),
        ("SEND_SMS", "send messages"),
        ("SYSTEM_ALERT_WINDOW", "draw over other apps"),
        ("WRITE_SECURE_SETTINGS", "change any setting"),
        ("WRITE_SETTINGS", "change system settings"),
    ];
    let name = permission.strip_prefix("android.permission.")?;
    WORDS.iter().find(|(own, _)| *own == name).map(|(_, words)| *words)
}
