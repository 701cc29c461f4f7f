//! Moments: on this computer's clock, and on a device's.

/// A moment, in milliseconds since 1970 (UTC).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Default)]
pub struct Timestamp(pub i64);

/// A moment as the device's own clock shows it, in seconds since the beginning of 1970 on that clock. Only differences
/// between moments of one device mean anything.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct DeviceTime(pub i64);

impl DeviceTime {
    /// Reads `2026-01-12 08:00:00`, the form in which Android's dumps print moments; in some versions with the digits of the
    /// device's language. What comes before 1971 stands for "never" there, and is none.
    pub fn read(text: &str) -> Option<Self> {
        let text: String = text.trim().chars().map(plain_digit).collect();
        let (date, time) = text.split_once(' ')?;
        let numbers = |text: &str, by: char| -> Option<[i64; 3]> {
            let mut parts = text.split(by).map(|p| p.split('.').next().unwrap_or(p).parse::<i64>().ok());
            let all = [parts.next()??, parts.next()??, parts.next()??];
            parts.next().is_none().then_some(all)
        };
        let ([year, month, day], [hour, minute, second]) = (numbers(date, '-')?, numbers(time, ':')?);
        let fits = (1971..=9999).contains(&year) && (1..=12).contains(&month) && (1..=31).contains(&day);
        if !fits || !(0..24).contains(&hour) || !(0..60).contains(&minute) || !(0..=60).contains(&second) {
            return None;
        }
        // Days since 1970, counting years from March (the method of H. Hinnant's "days from civil").
        let year = if month <= 2 { year - 1 } else { year };
        let (era, of_era) = (year.div_euclid(400), year.rem_euclid(400));
        let of_year = (153 * ((month + 9) % 12) + 2) / 5 + day - 1;
        let days = era * 146_097 + of_era * 365 + of_era / 4 - of_era / 100 + of_year - 719_468;
        Some(Self(days * 86_400 + hour * 3600 + minute * 60 + second))
    }

    /// Whole days from here to `later`; 0 where that is earlier.
    pub fn days_until(self, later: Self) -> i64 {
        ((later.0 - self.0) / 86_400).max(0)
    }

    /// The date, `2026-01-12`.
    pub fn date(self) -> String {
        let days = self.0.div_euclid(86_400) + 719_468;
        let (era, of_era) = (days.div_euclid(146_097), days.rem_euclid(146_097));
        let years = (of_era - of_era / 1460 + of_era / 36_524 - of_era / 146_096) / 365;
        let of_year = of_era - (365 * years + years / 4 - years / 100);
        let shifted = (5 * of_year + 2) / 153;
        let day = of_year - (153 * shifted + 2) / 5 + 1;
        let month = if shifted < 10 { shifted + 3 } else { shifted - 9 };
        format!("{:04}-{month:02}-{day:02}", years + era * 400 + i64::from(month <= 2))
    }
}

/// A digit of any script that Android writes numbers in as an ASCII one; anything else as it is. Source: the decimal digits
/// (`Nd`) of Unicode, which come in rows of ten.
fn plain_digit(c: char) -> char {
    const ZEROS: [u32; 18] = [
        0x660, 0x6f0, 0x7c0, 0x966, 0x9e6, 0xa66, 0xae6, 0xb66, 0xbe6, 0xc66, 0xce6, 0xd66, 0xe50, 0xed0, 0xf20,
        0x1040, 0x17e0, 0x1c50,
    ];
    let code = u32::from(c);
    let digit = ZEROS.iter().find_map(|zero| code.checked_sub(*zero).filter(|digit| *digit < 10));
    digit.and_then(|digit| char::from_digit(digit, 10)).unwrap_or(c)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn moments_as_dumps_print_them() {
        for (text, seconds, date) in [
            ("1971-01-01 00:00:00", 31_536_000, "1971-01-01"),
            ("2024-02-29 23:59:59", 1_709_251_199, "2024-02-29"),
            ("۲۰۲۶-۱۱-۲۳ ۱۴:۰۰:۰۵", 1_795_442_405, "2026-11-23"),
            ("၂၀၂၆-၁၁-၂၃ ၁၄:၀၀:၀၅", 1_795_442_405, "2026-11-23"),
            ("2026-11-23 14:00:05.123", 1_795_442_405, "2026-11-23"),
        ] {
            let stamp = DeviceTime::read(text).unwrap();
            assert_eq!((stamp.0, stamp.date().as_str()), (seconds, date), "{text}");
        }
        for none in ["", "1970-01-01 01:00:00", "2026-13-01 00:00:00", "2026-11-23", "x y", "2026-1-1-1 0:0:0"] {
            assert_eq!(DeviceTime::read(none), None, "{none}");
        }
        let (a, b) = (DeviceTime(0), DeviceTime(86_400 * 3 - 1));
        assert_eq!((a.days_until(b), b.days_until(a)), (2, 0));
    }
}
