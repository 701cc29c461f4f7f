//! `list packages`.

use std::collections::BTreeSet;

use wibbet_types::{DevicePath, PackageId, UserId};

use crate::ask::{Output, Request};

/// What shows whether the device still knows a package, for whomever: the filter also lists ids that hold this one.
pub fn known_request(id: &PackageId) -> Request {
    Request::look(&["list", "packages", "-u", id.as_str()])
}

/// What shows for whom a package is installed and not hidden: the second source, built differently from the dump. All
/// packages of the user, or those whose ids hold this one.
pub fn installed_request(user: UserId, id: Option<&PackageId>) -> Request {
    let user = user.to_string();
    let words = ["list", "packages", "--user", user.as_str()];
    Request::look(&words.into_iter().chain(id.map(PackageId::as_str)).collect::<Vec<_>>())
}

/// What shows what is off for a user, whether somebody switched it off or its own manifest has it off.
pub fn disabled_request(user: UserId) -> Request {
    Request::look(&["list", "packages", "-d", "--user", &user.to_string()])
}

/// What shows what may not work in the background for a user. Source: `AppOpsService`'s shell, Android 9 on.
pub fn quiet_request(user: UserId) -> Request {
    Request::shell(format!("cmd appops query-op --user {user} RUN_ANY_IN_BACKGROUND ignore"))
}

/// The ids that the answer to [`quiet_request`] names.
pub fn read_quiet(said: &Output) -> BTreeSet<PackageId> {
    said.out.lines().filter_map(|line| line.trim().parse().ok()).collect()
}

/// The ids that such a list names; `None` unless all of it is a list.
pub fn read_installed(said: &Output) -> Option<BTreeSet<PackageId>> {
    // The linker of some builds warns of something before each program.
    let says_more = |line: &&str| !line.is_empty() && !line.starts_with("WARNING:");
    let failed = said.code.is_some_and(|code| code != 0) || said.err.lines().map(str::trim).any(|l| says_more(&l));
    let lines = said.out.lines().map(str::trim).filter(says_more);
    let ids: Option<BTreeSet<PackageId>> = lines.map(|line| line.strip_prefix("package:")?.parse().ok()).collect();
    ids.filter(|_| !failed)
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

    #[test]
    fn only_a_whole_list_says_who_is_not_on_it() {
        let said = |out: &str, err: &str, code| {
            read_installed(&Output { out: out.into(), err: err.into(), code }).map(|ids| ids.len())
        };
        assert_eq!(said("package:com.a\npackage:com.b\r\n", "", Some(0)), Some(2));
        assert_eq!(said("", "", Some(0)), Some(0), "none of them holds the id");
        assert_eq!(said("package:com.a\n", "", Some(255)), None);
        assert_eq!(said("WARNING: linker: x\npackage:com.a\n", "WARNING: linker: x\n", Some(0)), Some(1));
        assert_eq!(said("package:com.a\n", "cmd: failure", None), None);
        assert_eq!(said("package:com.a\nError: java.lang.SecurityException: Shell does not\n", "", None), None);
        assert_eq!(said("package:com.a\npackage:co m\n", "", None), None);
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in any::<String>()) {
            read_package_list(&format!("package:{text}"));
        }
    }
}
