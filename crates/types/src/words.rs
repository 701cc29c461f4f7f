//! Words for values: one for each value of a small enum, and sizes as people read them.

use std::fmt;

/// An enum whose values have a word each, for machines and the record. Made by [`named!`](crate::named).
pub trait Named: Copy + Sized + fmt::Display + 'static {
    /// Every value, in order.
    const ALL: &'static [Self];

    /// The word of a value.
    fn name(self) -> &'static str;

    /// The value of a word.
    fn from_name(name: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|value| value.name() == name)
    }
}

/// Gives each value of an enum without data its word: `named!(Outcome { Done => "done", … });` implements
/// [`Named`](crate::Named), and `name` and `from_name` as its own functions.
#[macro_export]
macro_rules! named {
    ($type:ident { $($variant:ident => $name:literal),+ $(,)? }) => {
        impl $crate::Named for $type {
            const ALL: &'static [Self] = &[$(Self::$variant),+];

            fn name(self) -> &'static str {
                match self { $(Self::$variant => $name),+ }
            }
        }

        impl $type {
            /// The word for machines and the record.
            pub fn name(self) -> &'static str {
                $crate::Named::name(self)
            }

            /// The value of a word.
            pub fn from_name(name: &str) -> Option<Self> {
                $crate::Named::from_name(name)
            }
        }

        impl ::std::fmt::Display for $type {
            fn fmt(&self, f: &mut ::std::fmt::Formatter<'_>) -> ::std::fmt::Result {
                f.write_str(self.name())
            }
        }
    };
}

/// A number of things: `1 step`, `4 steps`.
pub fn counted(n: usize, one: &str, more: &str) -> String {
    format!("{n} {}", if n == 1 { one } else { more })
}

/// Bytes in the units that Android shows them in, a thousand being a kilobyte.
pub fn bytes_words(bytes: u64) -> String {
    let (number, unit) = match bytes {
        0..1000 => return format!("{bytes} B"),
        1000..1_000_000 => (bytes as f64 / 1e3, "kB"),
        1_000_000..1_000_000_000 => (bytes as f64 / 1e6, "MB"),
        _ => (bytes as f64 / 1e9, "GB"),
    };
    if number < 9.95 { format!("{number:.1} {unit}") } else { format!("{number:.0} {unit}") }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bytes_in_words() {
        for (bytes, words) in [
            (0, "0 B"),
            (999, "999 B"),
            (1000, "1.0 kB"),
            (9949, "9.9 kB"),
            (9960, "10 kB"),
            (52_300_000, "52 MB"),
            (2_500_000_000, "2.5 GB"),
        ] {
            assert_eq!(bytes_words(bytes), words);
        }
    }
}
