//! Installing APKs by a session: `install-create`, `install-write`, `install-commit`. Source: `PackageManagerShellCommand`, and
//! `Pm.java` up to Android 8.1.
//!
//! The files' bytes go to the input of `install-write`, so nothing is left on the device when it ends early.

use wibbet_types::{DevicePath, PackageId, UserId, shell_quoted};

use crate::android::Capabilities;
use crate::ask::{Output, Request};
use crate::package::{CopiedFile, KeptCopy};

/// Where the APKs of a package are.
pub fn paths_request(capabilities: &Capabilities, id: &PackageId, user: UserId) -> Request {
    let user = user.to_string();
    match capabilities.names_paths_by_user() {
        true => Request::look(&["path", "--user", &user, id.as_str()]),
        false => Request::look(&["path", id.as_str()]),
    }
}

/// The paths of `package:PATH` lines, the base first.
pub fn read_paths(said: &Output) -> Vec<DevicePath> {
    let path = |line: &str| line.trim().strip_prefix("package:")?.parse().ok();
    said.out.lines().filter_map(path).collect()
}

/// What tells the SHA-256 of files, where a device has the tool.
pub fn sums_request(paths: &[DevicePath]) -> Request {
    let paths: Vec<String> = paths.iter().map(DevicePath::quoted).collect();
    Request::shell(format!("sha256sum {}", paths.join(" ")))
}

/// The sum of each file that it was told for.
pub fn read_sums(said: &Output) -> Vec<(DevicePath, String)> {
    let sum = |line: &str| {
        let (sum, path) = line.trim_end().split_once("  ")?;
        let is_sum = sum.len() == 64 && sum.bytes().all(|b| b.is_ascii_hexdigit());
        is_sum.then(|| Some((path.parse().ok()?, sum.to_ascii_lowercase()))).flatten()
    };
    said.out.lines().filter_map(sum).collect()
}

/// Begins a session for a copy.
pub fn create_request(capabilities: &Capabilities, copy: &KeptCopy, user: UserId) -> Request {
    let mut words = vec!["install-create".to_owned(), "-S".into(), copy.size().to_string()];
    words.extend(["--user".to_owned(), user.to_string(), "-r".into()]);
    if let Some(installer) = &copy.installer {
        words.extend(["-i".to_owned(), installer.to_string()]);
    }
    // What was there may be installed again, however old the Android is that it was made for.
    if capabilities.blocks_old_targets() {
        words.push("--bypass-low-target-sdk-block".into());
    }
    Request::change(words)
}

/// The number of the session; `None` where none was begun.
pub fn read_created(said: &Output) -> Option<u32> {
    let (_, rest) = said.out.split_once("Success: created install session [")?;
    rest.split_once(']')?.0.trim().parse().ok()
}

/// Writes a file into a session: its bytes go to the command's input.
pub fn write_file_request(session: u32, file: &CopiedFile) -> Request {
    let words = ["install-write", "-S", &file.size.to_string(), &session.to_string(), &file.name, "-"];
    Request::change(words.map(str::to_owned).to_vec())
}

/// Ends a session: everything that it holds is installed, or nothing.
pub fn commit_request(session: u32) -> Request {
    Request::change(vec!["install-commit".into(), session.to_string()])
}

/// Drops a session.
pub fn abandon_request(session: u32) -> Request {
    Request::change(vec!["install-abandon".into(), session.to_string()])
}

/// The words that go to the device for a copy, in a line.
pub fn install_words(capabilities: &Capabilities, copy: &KeptCopy, user: UserId) -> String {
    let mut all = vec![create_request(capabilities, copy, user).words(capabilities)];
    let number = "SESSION";
    for file in &copy.files {
        all.push(format!("install-write -S {} {number} {} - < {}", file.size, file.name, shell_quoted(&file.name)));
    }
    all.push(format!("install-commit {number}"));
    all.join("; ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;
    use proptest::prelude::*;

    fn said(out: &str) -> Output {
        Output { out: out.into(), ..Output::default() }
    }

    #[test]
    fn what_is_asked_and_what_it_says() {
        let (new, old) = (testing::capabilities(34), testing::capabilities(23));
        let id = testing::id("fer.pellmoor.tides");
        assert_eq!(paths_request(&new, &id, UserId::new(10)).command(), "path --user 10 fer.pellmoor.tides");
        assert_eq!(paths_request(&old, &id, UserId::new(10)).command(), "path fer.pellmoor.tides");
        let paths = read_paths(&said(
            "package:/data/app/~~x==/a-1/base.apk\r\npackage:/data/app/~~x==/a-1/split_config.de.apk\n\nWARNING\n",
        ));
        assert_eq!(
            paths.iter().map(DevicePath::as_str).collect::<Vec<_>>(),
            ["/data/app/~~x==/a-1/base.apk", "/data/app/~~x==/a-1/split_config.de.apk"]
        );
        let sum = "0A".repeat(32);
        assert_eq!(
            read_sums(&said(&format!("{sum}  /a b\nsha256sum: /c: No such file\n"))),
            [("/a b".parse().unwrap(), "0a".repeat(32))]
        );
        assert_eq!(read_created(&said("Success: created install session [1204]\n")), Some(1204));
        for bad in ["Failure [INSTALL_FAILED_INSUFFICIENT_STORAGE]", "", "Success: created install session [x]"] {
            assert_eq!(read_created(&said(bad)), None, "{bad}");
        }
        let copy = testing::copy("fer.pellmoor.tides", &["base.apk", "split_config.de.apk"]);
        assert_eq!(
            create_request(&new, &copy, UserId::OWNER).command(),
            "install-create -S 200 --user 0 -r -i io.tidewrack.installer --bypass-low-target-sdk-block"
        );
        assert!(!create_request(&old, &copy, UserId::OWNER).command().contains("bypass"));
        assert_eq!(write_file_request(7, &copy.files[1]).command(), "install-write -S 100 7 split_config.de.apk -");
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in any::<String>()) {
            read_paths(&said(&text));
            read_sums(&said(&text));
            read_created(&said(&format!("Success: created install session [{text}")));
        }
    }
}
