//! `list packages`.

use wibbet_types::{DevicePath, PackageId};

use crate::ask::Request;

/// What shows whether the device still knows a package, for whomever: the filter also lists ids that hold this one.
pub fn known_request(id: &PackageId) -> Request {
    Request::look(&["list", "packages", "-u", id.as_str()])
}

/// Reads lines like `package:ID` or `package:PATH=ID versionCode:3  installer=null uid:10012`;
/// the path is that of the base APK. Lines of another kind are skipped.
pub fn read_package_list(text: &str) -> Vec<(PackageId, Option<DevicePath>)> {
    text.lines()
        .filter_map(|line| {
            let rest = line.trim().strip_prefix("package:")?;
            // The path may hold blanks and "=": what stands behind the id is taken off by name.
            let mut id = rest;
            while let Some((before, word)) = id.rsplit_once(' ')
                && (word.is_empty() || ["versionCode:", "installer=", "uid:"].iter().any(|name| word.starts_with(name)))
            {
                id = before;
            }
            // A path may hold "=" too; an id never does.
            let (path, id) = id.rsplit_once('=').unwrap_or(("", id));
            Some((id.parse().ok()?, path.parse().ok()))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn lists_with_all_their_trimmings() {
        let text = "package:com.a\n\
                    package:/system/app/B/B.apk=com.b\r\n\
                    package:/data/app/~~x==/com.c-y==/base.apk=com.c\n\
                    package:/system/app/D/D.apk=com.d versionCode:3  installer=com.e uid:10012\n\
                    package:com.f  installer=null\n\
                    package:com.g uid:10012\n\
                    Error: something\n";
        let list = read_package_list(text);
        let ids: Vec<&str> = list.iter().map(|(id, _)| id.as_str()).collect();
        assert_eq!(ids, ["com.a", "com.b", "com.c", "com.d", "com.f", "com.g"]);
        let paths: Vec<Option<&str>> = list.iter().map(|(_, path)| path.as_ref().map(DevicePath::as_str)).collect();
        assert_eq!(paths[..2], [None, Some("/system/app/B/B.apk")]);
        assert_eq!(paths[2], Some("/data/app/~~x==/com.c-y==/base.apk"));
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in any::<String>()) {
            read_package_list(&format!("package:{text}"));
        }
    }
}
