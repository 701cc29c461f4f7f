//! What an APK says of itself, as the package manager reads it: id, version, and the part that it is.

/// What a manifest's first element says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Head {
    pub(crate) id: String,
    pub(crate) version_code: u32,
    pub(crate) version: String,
    /// The name of the part, of one that is not the base.
    pub(crate) split: Option<String>,
}

/// Reads it out of a ZIP. `None` where it is none, or has no manifest.
pub(crate) fn head_of(apk: &[u8]) -> Option<Head> {
    let end = (0..=apk.len().checked_sub(22)?).rev().find(|at| apk[*at..].starts_with(b"PK\x05\x06"))?;
    let (entries, mut at) = (number(apk, end + 10, 2)?, number(apk, end + 16, 4)?);
    for _ in 0..entries {
        let packed = number(apk, at + 10, 2)? != 0;
        let size = number(apk, at + 20, 4)?;
        let [name, extra, remark] = [28, 30, 32].map(|place| number(apk, at + place, 2));
        let (name, local) = (name?, number(apk, at + 42, 4)?);
        if apk.get(at + 46..at + 46 + name)? == b"AndroidManifest.xml" {
            let begin = local + 30 + number(apk, local + 26, 2)? + number(apk, local + 28, 2)?;
            let bytes = apk.get(begin..begin + size)?;
            return match packed {
                false => first_element(bytes),
                true => {
                    let mut plain = Vec::new();
                    let mut inflated = flate2::read::DeflateDecoder::new(bytes);
                    std::io::Read::read_to_end(&mut inflated, &mut plain).ok()?;
                    first_element(&plain)
                }
            };
        }
        at += 46 + name + extra? + remark?;
    }
    None
}

fn number(bytes: &[u8], at: usize, size: usize) -> Option<usize> {
    let bytes = bytes.get(at..at.checked_add(size)?)?;
    Some(bytes.iter().rev().fold(0, |all, byte| all << 8 | usize::from(*byte)))
}

/// The attributes of the first element.
fn first_element(xml: &[u8]) -> Option<Head> {
    let pool = 8;
    let strings = pool_at(xml, pool)?;
    let mut at = pool + number(xml, pool + 4, 4)?;
    while number(xml, at, 2)? != 0x0102 {
        at += number(xml, at + 4, 4)?.max(8);
    }
    let mut head = Head { id: String::new(), version_code: 0, version: String::new(), split: None };
    let first = at + 16 + number(xml, at + 24, 2)?;
    for n in 0..number(xml, at + 28, 2)? {
        let own = first + 20 * n;
        let (name, data) = (number(xml, own + 4, 4)?, number(xml, own + 16, 4)?);
        let text = || strings.get(data).cloned();
        match strings.get(name)?.as_str() {
            "package" => head.id = text()?,
            "split" => head.split = text(),
            "versionName" => head.version = text()?,
            "versionCode" => head.version_code = u32::try_from(data).ok()?,
            _ => {}
        }
    }
    Some(head).filter(|head| !head.id.is_empty())
}

fn pool_at(xml: &[u8], at: usize) -> Option<Vec<String>> {
    let count = number(xml, at + 8, 4)?;
    let (narrow, start) = (number(xml, at + 16, 4)? & 0x100 != 0, at + number(xml, at + 20, 4)?);
    let mut all = Vec::new();
    for n in 0..count.min(100_000) {
        let own = start + number(xml, at + 28 + 4 * n, 4)?;
        all.push(if narrow {
            let long = |at: usize| usize::from(xml.get(at).is_some_and(|byte| byte & 0x80 != 0)) + 1;
            let bytes_at = own + long(own);
            let begin = bytes_at + long(bytes_at);
            let length = match long(bytes_at) {
                1 => number(xml, bytes_at, 1)?,
                _ => (number(xml, bytes_at, 1)? & 0x7f) << 8 | number(xml, bytes_at + 1, 1)?,
            };
            String::from_utf8_lossy(xml.get(begin..begin + length)?).into_owned()
        } else {
            let units = number(xml, own, 2)?;
            let units: Option<Vec<u16>> =
                (0..units).map(|n| number(xml, own + 2 + 2 * n, 2).and_then(|unit| u16::try_from(unit).ok())).collect();
            String::from_utf16_lossy(&units?)
        });
    }
    Some(all)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::apk::SampleApk;
    use crate::scenario::Scenario;

    #[test]
    fn what_apks_say_of_themselves_is_what_was_put_into_them() {
        let mut read = 0;
        for apk in SampleApk::all_of(&Scenario::crew_phone()).filter(|apk| apk.size() < 400_000).take(40) {
            let bytes = apk.read(0, usize::MAX);
            // What is cut or garbage says nothing.
            let Some(head) = head_of(&bytes) else {
                assert!(
                    ["cut", "garbage", "no-entry", "prefix"].contains(&apk.oddity()),
                    "{} {}",
                    apk.id,
                    apk.oddity()
                );
                continue;
            };
            assert_eq!((head.id.as_str(), head.split), (apk.id.as_str(), None));
            assert!((3400..4500).contains(&head.version_code));
            read += 1;
        }
        assert!(read > 20, "{read}");
        assert_eq!(head_of(b"PK"), None);
        assert_eq!(head_of(&[0; 100]), None);
    }
}
