//! A package's folder on a partition of the system: what lies there, taking it away, and having it there again. All of it takes root.
//! Source: `find`, `stat`, `readlink`, `mount` of toybox; what they print has been the same since Android 8.

use std::collections::{BTreeSet, HashMap};

use wibbet_types::DevicePath;

use crate::ask::{Output, Request};
use crate::package::{KeptCopy, Placed, PlacedKind};

/// The most that lies in one package's folder.
const MOST: usize = 400;

/// Between what lies there, where the links lead, and what contexts it has.
const LINKS: &str = "wibbet-links";
const CONTEXTS: &str = "wibbet-contexts";

/// What is said in the end where all has been carried out.
const DONE: &str = "wibbet-done";

/// Why what lies in a folder is not known, or could not be had there again.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum UnknownPlace {
    /// There is no such folder.
    #[error("there is no such folder")]
    Gone,
    /// A line that is not understood.
    #[error("the device says of what is in it: {0}")]
    NotUnderstood(String),
    /// Something that is neither a file nor a folder nor a link.
    #[error("{0} is neither a file nor a folder nor a link")]
    Odd(DevicePath),
    /// Too much.
    #[error("more than {MOST} files and folders are in it")]
    TooMuch,
}

/// Something that lies in a package's folder, and how long it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Found {
    /// Where and what. A file has no name in a copy yet.
    pub placed: Placed,
    /// Bytes, of a file.
    pub size: u64,
}

/// What tells all that lies in a folder.
pub fn folder_request(folder: &DevicePath) -> Request {
    let folder = folder.quoted();
    // `readlink` of Android 8 takes one file at a time.
    let command = format!(
        "find {folder} -exec stat -c '%f %u %g %s %n' {{}} +;echo {LINKS};find {folder} -type l -exec readlink {{}} \\;;\
         echo {CONTEXTS};find {folder} -exec ls -1dZ {{}} +"
    );
    Request::shell(command).by_root()
}

/// Reads the answer.
///
/// # Errors
/// When there is no such folder, and when anything in it is not understood: half of a package is no copy.
pub fn read_folder(folder: &DevicePath, said: &Output) -> Result<Vec<Found>, UnknownPlace> {
    let unclear = |line: &str| UnknownPlace::NotUnderstood(line.chars().take(120).collect());
    let cut =
        |text: &'_ str, mark: &str| text.split_once(&format!("{mark}\n")).map(|(a, b)| (a.to_owned(), b.to_owned()));
    let (listed, rest) = cut(&said.out, LINKS).ok_or_else(|| unclear(&said.text()))?;
    let (links, contexts) = cut(&rest, CONTEXTS).ok_or_else(|| unclear(&said.text()))?;
    let context = |line: &str| {
        let (context, path) = line.trim_start().split_once(' ')?;
        Placed::is_context(context).then(|| (path.trim_start().to_owned(), context.to_owned()))
    };
    // A program that does not know of contexts prints something else.
    let contexts: HashMap<String, String> = contexts.lines().filter_map(context).collect();
    let own = format!("{}/", folder.as_str());
    let mut found = Vec::new();
    let mut links = links.lines();
    for line in listed.lines() {
        let mut parts = line.splitn(5, ' ');
        let mut next = || parts.next().ok_or_else(|| unclear(line));
        let number = |text: &str| text.parse::<u64>().map_err(|_| unclear(line));
        let whole_mode = u32::from_str_radix(next()?, 16).map_err(|_| unclear(line))?;
        let [owner, group] = [number(next()?)?, number(next()?)?].map(|id| u32::try_from(id).unwrap_or(u32::MAX));
        let size = number(next()?)?;
        let path: DevicePath = next()?.parse().map_err(|_| unclear(line))?;
        // Its own folder is the first thing that is found in it, and whatever else is lies in there.
        let below = path
            .as_str()
            .strip_prefix(&own)
            .is_some_and(|rest| rest.split('/').all(|part| !matches!(part, "" | "." | "..")));
        if (path == *folder) != found.is_empty() || (path != *folder && !below) {
            return Err(unclear(line));
        }
        let context = contexts.get(path.as_str()).cloned();
        // Source: the kernel's `stat.h`.
        let kind = match whole_mode >> 12 {
            0o04 => PlacedKind::Folder,
            0o10 => PlacedKind::File(String::new()),
            0o12 => {
                let to = links.next().and_then(|to| to.parse().ok());
                PlacedKind::Link(to.ok_or_else(|| unclear(line))?)
            }
            _ => return Err(UnknownPlace::Odd(path)),
        };
        if found.len() == MOST {
            return Err(UnknownPlace::TooMuch);
        }
        found.push(Found { placed: Placed { path, kind, mode: whole_mode & 0o7777, owner, group, context }, size });
    }
    match found.is_empty() {
        true if said.err.contains("No such file") || said.err.is_empty() => Err(UnknownPlace::Gone),
        true => Err(unclear(&said.err)),
        false => Ok(found),
    }
}

/// Lets a partition be written, does something, and lets it be only read again. Which mount it is tells the path: that of the partition,
/// where it has one of its own, else that of the system, else the root that the system is a part of since Android 10.
fn written_to(folder: &DevicePath, what: &str) -> String {
    let partition = folder.as_str().split('/').nth(1).unwrap_or_default();
    let mounts: BTreeSet<String> = ["/system".to_owned(), format!("/{partition}")].into();
    // The longest name is not the likeliest: that of the partition itself is.
    let mut mounts: Vec<String> = mounts.into_iter().collect();
    mounts.sort_by_key(|mount| *mount == "/system");
    mounts.push("/".into());
    format!(
        "w=;for m in {};do if mount -o rw,remount $m 2>/dev/null;then w=$m;break;fi;done;{what}&&echo {DONE};sync;\
         [ -n \"$w\" ]&&mount -o ro,remount $w 2>/dev/null",
        mounts.join(" ")
    )
}

/// Takes a package's folder away.
pub fn take_away_request(folder: &DevicePath) -> Request {
    Request::change_by_shell(written_to(folder, &format!("rm -r {}", folder.quoted()))).by_root()
}

/// The requests that have all of a copy where it was, in order, each file's bytes going to the input of its own.
pub fn place_requests(copy: &KeptCopy) -> Vec<(Request, Option<&str>)> {
    let Some(folder) = copy.placed.first().map(|placed| &placed.path) else { return Vec::new() };
    let change = |command: String| Request::change_by_shell(command).by_root();
    // What an interrupted try has left is made anew.
    let aside = aside(copy);
    let mut requests: Vec<(Request, Option<&str>)> =
        vec![(change(format!("rm -rf {aside};mkdir -p {aside}&&echo {DONE}")), None)];
    let mut lines: Vec<String> = Vec::new();
    for placed in &copy.placed {
        let path = placed.path.quoted();
        match &placed.kind {
            PlacedKind::Folder => lines.push(format!("mkdir -p {path}")),
            PlacedKind::Link(to) => lines.push(format!("ln -sf {} {path}", to.quoted())),
            PlacedKind::File(name) => {
                // So many bytes: not every version's shell is told where its input ends.
                let bytes = copy.files.iter().find(|file| file.name == *name).map_or(0, |file| file.size);
                requests.push((change(format!("head -c {bytes} >{aside}/{name}&&echo {DONE}")), Some(name.as_str())));
                lines.push(format!("cp {aside}/{name} {path}"));
            }
        }
        if !matches!(placed.kind, PlacedKind::Link(_)) {
            lines.push(format!("chown {}:{} {path}", placed.owner, placed.group));
            lines.push(format!("chmod {:o} {path}", placed.mode));
        }
        let context = |context: &String| lines.push(format!("chcon -h {context} {path}"));
        placed.context.iter().for_each(context);
    }
    requests.push((change(written_to(folder, &lines.join("&&"))), None));
    requests.push((clear_up_request(copy), None));
    requests
}

/// Whether a request of these says that it has been carried out.
pub fn says_placed(said: &Output) -> bool {
    said.out.lines().any(|line| line.trim() == DONE)
}

/// Removes what is left over of having a copy where it was.
pub fn clear_up_request(copy: &KeptCopy) -> Request {
    let aside = aside(copy);
    Request::change_by_shell(format!("rm -rf {aside}&&echo {DONE}")).by_root()
}

/// Where its files wait to be placed.
fn aside(copy: &KeptCopy) -> String {
    format!("/data/local/tmp/wibbet-{}", copy.number)
}

/// Whether what lies in a folder is a part of what a copy has and nothing else, as an interrupted try leaves it.
pub fn is_part_of(found: &[Found], copy: &KeptCopy) -> bool {
    found.iter().all(|found| {
        let kept = copy.placed.iter().find(|placed| placed.path == found.placed.path);
        kept.is_some_and(|kept| match (&kept.kind, &found.placed.kind) {
            (PlacedKind::File(name), PlacedKind::File(_)) => {
                copy.files.iter().any(|file| file.name == *name && found.size <= file.size)
            }
            (PlacedKind::Folder, PlacedKind::Folder) | (PlacedKind::Link(_), PlacedKind::Link(_)) => true,
            _ => false,
        })
    })
}

/// Whether what lies in a folder is just what a copy has, but for the bytes of its files.
pub fn is_as_kept(found: &[Found], copy: &KeptCopy) -> bool {
    let size = |name: &str| copy.files.iter().find(|file| file.name == name).map(|file| file.size);
    let alike = |placed: &Placed| {
        found.iter().any(|found| {
            let same_size = match &placed.kind {
                PlacedKind::File(name) => size(name) == Some(found.size),
                _ => true,
            };
            placed.is_like(&found.placed) && same_size
        })
    };
    found.len() == copy.placed.len() && copy.placed.iter().all(alike)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;
    use proptest::prelude::*;

    const NOTES: &str = "/system/app/Notes";

    fn said(out: &str, err: &str) -> Output {
        Output { out: out.into(), err: err.into(), code: None }
    }

    /// As toybox of Android 8.1 prints it.
    const LISTED: &str = "41ed 0 0 4096 /system/app/Notes\n\
        81a4 0 0 52311 /system/app/Notes/Notes.apk\n\
        41ed 0 0 4096 /system/app/Notes/lib\n\
        a1ff 0 0 26 /system/app/Notes/lib/libx.so\n\
        wibbet-links\n/system/lib64/libx.so\n\
        wibbet-contexts\nu:object_r:system_file:s0 /system/app/Notes\nu:object_r:system_file:s0 /system/app/Notes/Notes.apk\n\
        u:object_r:system_file:s0 /system/app/Notes/lib\nu:object_r:system_file:s0 /system/app/Notes/lib/libx.so\n";

    #[test]
    fn what_lies_there() {
        let folder: DevicePath = NOTES.parse().unwrap();
        let found = read_folder(&folder, &said(LISTED, "")).unwrap();
        let words: Vec<String> = found.iter().map(|one| format!("{} {}", one.size, one.placed)).collect();
        assert_eq!(
            words,
            [
                "4096 755 0 0 u:object_r:system_file:s0 folder /system/app/Notes",
                "52311 644 0 0 u:object_r:system_file:s0 file: /system/app/Notes/Notes.apk",
                "4096 755 0 0 u:object_r:system_file:s0 folder /system/app/Notes/lib",
                "26 777 0 0 u:object_r:system_file:s0 link:/system/lib64/libx.so /system/app/Notes/lib/libx.so",
            ]
        );
        let of = |out: &str, err: &str| read_folder(&folder, &said(out, err));
        let gone = "find: /system/app/Notes: No such file or directory\n";
        let nothing = "wibbet-links\nwibbet-contexts\n";
        assert_eq!(of(nothing, gone), Err(UnknownPlace::Gone));
        assert!(matches!(of(nothing, "su: denied\n"), Err(UnknownPlace::NotUnderstood(_))));
        assert!(matches!(of("", "sh: find: not found\n"), Err(UnknownPlace::NotUnderstood(_))));
        for odd in [
            "41ed 0 0 4096 /system/app/Other\n",
            "81a4 0 0 4096 /system/app/Notes/Notes.apk\n",
            "41ed 0 0 4096 /system/app/Notes\n41ed 0 0 4096 /system/app/Notes\n",
            "41ed 0 0 4096 /system/app/Notes\n41ed 0 0 4096 /system/app/Notes2\n",
            "41ed 0 0 4096 /system/app/Notes\n81a4 0 0 4096 /system/app/Notes/../../framework/x\n",
            "41ed 0 0 4096 /system/app/Notes\n61ed 0 0 4096 /system/app/Notes/disk\n",
            "41ed 0 0 4096 /system/app/Notes\na1ff 0 0 26 /system/app/Notes/lib\n",
            "41ed 0 0\n",
        ] {
            assert!(of(&format!("{odd}{nothing}"), "").is_err(), "{odd}");
        }
        let bare = "41ed 0 0 4096 /system/app/Notes\nwibbet-links\nwibbet-contexts\n? /system/app/Notes\n";
        assert_eq!(of(bare, "").unwrap()[0].placed.context, None);
    }

    #[test]
    fn the_words_that_go_to_the_device() {
        let root =
            crate::android::Capabilities { root: Some(crate::android::RootWay::Daemon), ..testing::capabilities(27) };
        let words = |request: &Request| request.words(&root);
        assert_eq!(
            words(&take_away_request(&"/product/app/My Notes".parse().unwrap())),
            "w=;for m in /product /system /;do if mount -o rw,remount $m 2>/dev/null;then w=$m;break;fi;done;\
             rm -r '/product/app/My Notes'&&echo wibbet-done;sync;[ -n \"$w\" ]&&mount -o ro,remount $w 2>/dev/null"
        );
        let mut copy = testing::copy("com.ostrel.notes", &["base.apk"]);
        copy.placed = [
            "755 0 0 u:object_r:system_file:s0 folder /system/app/Notes",
            "644 0 0 u:object_r:system_file:s0 file:base.apk /system/app/Notes/Notes.apk",
            "777 0 0 - link:/system/lib64/libx.so /system/app/Notes/libx.so",
        ]
        .map(|line| line.parse().unwrap())
        .into();
        let requests: Vec<(String, Option<&str>)> =
            place_requests(&copy).into_iter().map(|(request, file)| (words(&request), file)).collect();
        let place = "mkdir -p /system/app/Notes&&chown 0:0 /system/app/Notes&&chmod 755 /system/app/Notes&&\
            chcon -h u:object_r:system_file:s0 /system/app/Notes&&cp /data/local/tmp/wibbet-3/base.apk /system/app/Notes/Notes.apk&&\
            chown 0:0 /system/app/Notes/Notes.apk&&chmod 644 /system/app/Notes/Notes.apk&&\
            chcon -h u:object_r:system_file:s0 /system/app/Notes/Notes.apk&&ln -sf /system/lib64/libx.so /system/app/Notes/libx.so";
        assert_eq!(
            requests,
            [
                (
                    "rm -rf /data/local/tmp/wibbet-3;mkdir -p /data/local/tmp/wibbet-3&&echo wibbet-done".to_owned(),
                    None
                ),
                ("head -c 100 >/data/local/tmp/wibbet-3/base.apk&&echo wibbet-done".to_owned(), Some("base.apk")),
                (
                    format!(
                        "w=;for m in /system /;do if mount -o rw,remount $m 2>/dev/null;then w=$m;break;fi;done;{place}&&\
                         echo wibbet-done;sync;[ -n \"$w\" ]&&mount -o ro,remount $w 2>/dev/null"
                    ),
                    None
                ),
                ("rm -rf /data/local/tmp/wibbet-3&&echo wibbet-done".to_owned(), None),
            ]
        );
        assert!(says_placed(&said("wibbet-done\r\n", "")) && !says_placed(&said("", "rm: Read-only file system")));
    }

    #[test]
    fn whether_it_is_there_again() {
        let folder: DevicePath = NOTES.parse().unwrap();
        let found = read_folder(&folder, &said(LISTED, "")).unwrap();
        let mut copy = testing::copy("com.ostrel.notes", &["base.apk"]);
        copy.files[0].size = 52311;
        copy.placed = found.iter().map(|one| one.placed.clone()).collect();
        copy.placed[1].kind = PlacedKind::File("base.apk".into());
        assert!(is_as_kept(&found, &copy));
        let changed = |change: &dyn Fn(&mut Vec<Found>)| {
            let mut found = found.clone();
            change(&mut found);
            is_as_kept(&found, &copy)
        };
        assert!(!changed(&|found| drop(found.pop())));
        assert!(!changed(&|found| found[1].size = 5));
        assert!(!changed(&|found| found[1].placed.mode = 0o600));
        assert!(!changed(&|found| found[1].placed.owner = 2000));
        assert!(!changed(&|found| found[1].placed.context = Some("u:object_r:shell_data_file:s0".into())));
        assert!(!changed(&|found| found[3].placed.kind = PlacedKind::Folder));
        assert!(changed(&|found| found[2].placed.context = None));
        // What an interrupted try leaves is a part of it; another version is not.
        let part = |change: &dyn Fn(&mut Vec<Found>)| {
            let mut found = found.clone();
            change(&mut found);
            is_part_of(&found, &copy)
        };
        assert!(part(&|found| found.truncate(2)) && part(&|found| found[1].size = 5));
        assert!(part(&|found| found[1].placed.owner = 2000));
        assert!(!part(&|found| found[1].size = 52312));
        assert!(!part(&|found| found[1].placed.path = "/system/app/Notes/Other.apk".parse().unwrap()));
    }

    proptest! {
        #[test]
        fn any_answer_is_read_or_not(out in "(41ed|81a4|a1ff|x)?[ 0-9]{0,12}(/system/app/Notes)?[/a-z]{0,6}\n(wibbet-links\n)?.{0,20}(wibbet-contexts\n)?.{0,20}", err in ".{0,40}") {
            if let Ok(found) = read_folder(&NOTES.parse().unwrap(), &said(&out, &err)) {
                prop_assert!(!found.is_empty() && found.len() <= MOST);
            }
        }
    }
}
