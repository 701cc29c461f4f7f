//! What a device is.

use wibbet_types::{AndroidVersion, DeviceId, PlainText, Serial};

/// What kind of device it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum DeviceKind {
    /// A phone.
    Phone,
    /// A tablet.
    Tablet,
    /// A television, or a box for one.
    Tv,
    /// A watch, a car, glasses: something else that names itself.
    Other,
    /// Not told.
    #[default]
    Unknown,
}

impl DeviceKind {
    /// Every kind.
    pub const ALL: [Self; 5] = [Self::Phone, Self::Tablet, Self::Tv, Self::Other, Self::Unknown];

    /// The word for people and machines.
    pub fn name(self) -> &'static str {
        match self {
            Self::Phone => "phone",
            Self::Tablet => "tablet",
            Self::Tv => "tv",
            Self::Other => "other",
            Self::Unknown => "unknown",
        }
    }

    /// The kind of a name; "unknown" for others.
    pub fn from_name(name: &str) -> Self {
        Self::ALL.into_iter().find(|kind| kind.name() == name).unwrap_or_default()
    }

    /// Reads `ro.build.characteristics`, which is a list such as `default,nosdcard` or `tablet`.
    pub fn from_characteristics(list: &str) -> Self {
        let has = |word: &str| list.split(',').any(|w| w.trim() == word);
        match () {
            () if list.trim().is_empty() => Self::Unknown,
            () if has("tv") => Self::Tv,
            () if has("tablet") => Self::Tablet,
            () if has("watch") || has("automotive") || has("embedded") => Self::Other,
            () => Self::Phone,
        }
    }
}

/// What a device is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DeviceFacts {
    /// The name that tells it apart here: its serial, or the serial and a number where another device has the same.
    pub id: DeviceId,
    /// `ro.serialno`; for a device that names none, made from its address.
    pub serial: Serial,
    /// `ro.product.manufacturer`.
    pub maker: PlainText,
    /// `ro.product.model`.
    pub model: PlainText,
    /// Phone, tablet, TV.
    pub kind: DeviceKind,
    /// The version of Android.
    pub android: AndroidVersion,
    /// `ro.build.version.security_patch`, a date; empty before Android 6.
    pub patch: PlainText,
    /// `ro.build.display.id`, the build as the settings show it.
    pub build: PlainText,
    /// `settings get secure android_id`, which is made anew by a factory reset; `None` where it could not be read.
    pub android_id: Option<PlainText>,
}

impl DeviceFacts {
    /// Maker and model, the maker left out where the model's name begins with it.
    pub fn name(&self) -> String {
        let (maker, model) = (self.maker.as_str(), self.model.as_str());
        if maker.is_empty() || model.to_lowercase().starts_with(&maker.to_lowercase()) {
            model.to_owned()
        } else {
            format!("{maker} {model}")
        }
    }

    /// Whether what two devices say of themselves is what one and the same says: equal serial, maker and model, and
    /// not two different Android ids. Cheap boxes have equal serials.
    pub fn is_same_device(&self, other: &Self) -> bool {
        let ids_differ = match (&self.android_id, &other.android_id) {
            (Some(one), Some(two)) => one != two,
            _ => false,
        };
        (&self.serial, &self.maker, &self.model) == (&other.serial, &other.maker, &other.model) && !ids_differ
    }
}
