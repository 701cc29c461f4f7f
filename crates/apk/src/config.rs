//! For which devices a value of a table is meant. Source: `ResTable_config` in `ResourceTypes.h`.

use wibbet_types::Locale;

use crate::bytes::{u16_at, u32_at};

/// The configuration of some values.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Config {
    /// The language; empty for all.
    pub locale: Locale,
    /// How many other conditions there are: screen, network, kind of device. Fewer is better for whoever does not know
    /// how the device is at the moment.
    pub conditions: u8,
}

impl Config {
    /// Reads a configuration, whose first number is its length. What is not there counts as not told.
    pub(crate) fn read(bytes: &[u8]) -> Self {
        let size = (u32_at(bytes, 0) as usize).min(bytes.len());
        let bytes = &bytes[..size];
        let two = |at: usize| [bytes.get(at).copied().unwrap_or(0), bytes.get(at + 1).copied().unwrap_or(0)];
        let (language, region) = (two(8), two(10));
        let script = bytes.get(36..40).unwrap_or(&[]);
        // Without imsi (4), screen type (12), input (16) and screen size (20) the values are for all devices; the
        // version (24) is left out: whoever offers it has it for a reason that is no condition of use.
        let mut conditions = [4, 12, 16, 20].into_iter().filter(|at| u32_at(bytes, *at) != 0).count();
        // Layout direction is set by some tools along with the language.
        conditions += usize::from(bytes.get(28).is_some_and(|layout| layout & !0xc0 != 0));
        conditions += usize::from(bytes.get(29).is_some_and(|mode| *mode != 0));
        conditions += usize::from(u16_at(bytes, 30) != 0) + usize::from(u32_at(bytes, 32) != 0);
        Self {
            locale: Locale::new(&unpack(language, b'a'), &letters(script), &unpack(region, b'0')),
            conditions: u8::try_from(conditions).unwrap_or(u8::MAX),
        }
    }
}

fn letters(bytes: &[u8]) -> String {
    bytes.iter().take_while(|b| **b != 0).map(|b| char::from(*b)).filter(char::is_ascii_alphanumeric).collect()
}

/// Two letters, or three packed into 15 bits with the highest bit set.
fn unpack([first, second]: [u8; 2], base: u8) -> String {
    if first & 0x80 == 0 {
        return letters(&[first, second]);
    }
    let parts = [second & 0x1f, ((second & 0xe0) >> 5) | ((first & 0x03) << 3), (first & 0x7c) >> 2];
    letters(&parts.map(|part| base.saturating_add(part)))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn config(language: &[u8; 2], region: &[u8; 2]) -> Config {
        let mut bytes = vec![0; 48];
        bytes[0] = 48;
        bytes[8..10].copy_from_slice(language);
        bytes[10..12].copy_from_slice(region);
        Config::read(&bytes)
    }

    #[test]
    fn languages_packed_and_not() {
        assert_eq!(config(b"en", b"GB").locale.to_string(), "en-GB");
        assert_eq!(config(b"iw", b"\0\0").locale.to_string(), "he");
        // "fil" as the compiler of resources packs it, and the region 419.
        assert_eq!(config(&[0xad, 0x05], b"\0\0").locale.to_string(), "fil");
        assert_eq!(config(b"es", &[0xa4, 0x24]).locale.to_string(), "es-419");
        assert_eq!(config(&[0xff, 0xff], &[0xff, 0xff]).locale.language().len(), 0);
    }

    #[test]
    fn conditions_are_counted_and_short_ones_read() {
        let mut bytes = vec![0; 64];
        bytes[0] = 64;
        bytes[12] = 1;
        bytes[30] = 200;
        bytes[24] = 21;
        assert_eq!(Config::read(&bytes).conditions, 2);
        assert_eq!(Config::read(&[28, 0, 0, 0, 0, 0, 0, 0, b'd', b'e']).locale.to_string(), "de");
        assert_eq!(Config::read(&[]), Config::default());
    }
}
