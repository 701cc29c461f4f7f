//! Announcements by file, where there is no multicast: what simulated devices announce is written there by one program
//! and read by another. A line for each: kind, name and addresses.

use std::net::SocketAddr;
use std::path::{Path, PathBuf};
use std::time::Duration;

use tokio::sync::watch;
use wibbet_adb::{Announced, AnnouncedKind, Announcements, service_kind};

/// How often the file is looked at.
const LOOK: Duration = Duration::from_millis(100);

/// Listens to a file. One that is not there announces nothing.
pub(crate) fn read_from(file: PathBuf) -> Announcements {
    let (tell, seen) = watch::channel(read(&file));
    tokio::spawn(async move {
        loop {
            tokio::time::sleep(LOOK).await;
            let now = read(&file);
            tell.send_if_modified(|before| {
                let changed = *before != now;
                *before = now;
                changed
            });
            if tell.is_closed() {
                return;
            }
        }
    });
    seen
}

fn read(file: &Path) -> Vec<Announced> {
    let text = std::fs::read_to_string(file).unwrap_or_default();
    text.lines().filter_map(read_line).take(256).collect()
}

fn read_line(line: &str) -> Option<Announced> {
    let mut words = line.split_whitespace();
    let (kind, instance) = service_kind(words.next()?)?;
    let addresses: Vec<SocketAddr> = words.filter_map(|w| w.parse().ok()).collect();
    (!addresses.is_empty()).then_some(Announced { kind, instance, addresses })
}

/// Writes what is announced, so that a reader never sees a half of it.
pub(crate) fn write(file: &Path, announced: &[Announced]) -> std::io::Result<()> {
    let line = |a: &Announced| {
        let addresses: Vec<String> = a.addresses.iter().map(ToString::to_string).collect();
        format!("{}.{} {}\n", a.instance, AnnouncedKind::service(a.kind), addresses.join(" "))
    };
    let draft = file.with_extension("draft");
    std::fs::write(&draft, announced.iter().map(line).collect::<String>())?;
    std::fs::rename(&draft, file)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_is_read() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("announced");
        assert!(read(&file).is_empty());
        let one = |kind, instance: &str| Announced {
            kind,
            instance: instance.into(),
            addresses: vec![([127, 0, 0, 1], 5).into(), "[::1]:6".parse().unwrap()],
        };
        let all = [one(AnnouncedKind::Pairing, "wibbet-x"), one(AnnouncedKind::Connect, "adb-S-abcdef")];
        write(&file, &all).unwrap();
        assert_eq!(read(&file), all);
        std::fs::write(&file, "rubbish\nx._http._tcp 1.2.3.4:5\nadb-1._adb._tcp nowhere\n").unwrap();
        assert!(read(&file).is_empty());
    }
}
