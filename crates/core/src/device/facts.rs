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
            () if has("tv") || has("mbx") => Self::Tv,
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
    /// `ro.product.model`: with many makers a code.
    pub model: PlainText,
    /// The name that it is sold under; empty where it tells none. It tells no devices apart.
    pub market: PlainText,
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
    /// `/proc/sys/kernel/random/boot_id`, 122 random bits that are made anew at each start and announced nowhere; `None`
    /// where they could not be read. Not kept in the logbook.
    pub boot_id: Option<PlainText>,
}

/// How much speaks for it that two devices are one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Likeness {
    /// They say different things of themselves.
    Different,
    /// Equal serial, maker and model, and nothing against it. All of that can be known from outside, and cheap boxes share it.
    Alike,
    /// The Android id is equal too, which is announced nowhere. A restart may lie between.
    SameInstallation,
    /// The boot id is: it is the same device, and has not restarted in between.
    SameStart,
}

impl DeviceFacts {
    /// Maker and the name that it is sold under, or its model; the maker left out where that begins with it.
    pub fn name(&self) -> String {
        let model = if self.market.as_str().is_empty() { &self.model } else { &self.market };
        let (maker, model) = (self.maker.as_str(), model.as_str());
        if maker.is_empty() || model.to_lowercase().starts_with(&maker.to_lowercase()) {
            model.to_owned()
        } else {
            format!("{maker} {model}")
        }
    }

    /// How much speaks for it that this is the device which `other` tells of.
    pub fn likeness(&self, other: &Self) -> Likeness {
        let told = |one: &Option<PlainText>, two: &Option<PlainText>| {
            one.as_ref().zip(two.as_ref()).map(|(one, two)| one == two)
        };
        let seen = (&self.serial, &self.maker, &self.model) == (&other.serial, &other.maker, &other.model);
        match (told(&self.android_id, &other.android_id), told(&self.boot_id, &other.boot_id)) {
            _ if !seen => Likeness::Different,
            (Some(false), _) => Likeness::Different,
            (_, Some(true)) => Likeness::SameStart,
            (Some(true), _) => Likeness::SameInstallation,
            (None, _) => Likeness::Alike,
        }
    }

    /// Whether both have told a boot id, and not the same one: two devices, or one that has restarted in between.
    pub fn started_apart(&self, other: &Self) -> bool {
        self.boot_id.as_ref().zip(other.boot_id.as_ref()).is_some_and(|(one, two)| one != two)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;

    #[test]
    fn what_can_be_known_from_outside_proves_nothing() {
        let of = |android: &str, boot: &str| {
            let told = |text: &str| (!text.is_empty()).then(|| PlainText::new(text));
            DeviceFacts { android_id: told(android), boot_id: told(boot), ..testing::facts() }
        };
        for (one, two, likeness) in [
            (("", ""), ("", ""), Likeness::Alike),
            (("a1", ""), ("", ""), Likeness::Alike),
            (("", "b1"), ("", "b2"), Likeness::Alike),
            (("a1", "b1"), ("a1", "b2"), Likeness::SameInstallation),
            (("a1", ""), ("a1", "b2"), Likeness::SameInstallation),
            (("a1", "b1"), ("", "b1"), Likeness::SameStart),
            (("a1", "b1"), ("a1", "b1"), Likeness::SameStart),
            (("a1", "b1"), ("a2", "b1"), Likeness::Different),
        ] {
            let (one, two) = (of(one.0, one.1), of(two.0, two.1));
            assert_eq!((one.likeness(&two), two.likeness(&one)), (likeness, likeness), "{one:?} {two:?}");
        }
        let other = DeviceFacts { model: PlainText::new("Other"), ..of("a1", "b1") };
        assert_eq!(other.likeness(&of("a1", "b1")), Likeness::Different);
    }
}
