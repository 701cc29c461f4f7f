//! A device in figures: its free space and memory. How many packages are in use the inventory tells.

use super::parts::{marked_request, parts};
use super::vitals::space;
use crate::ask::Request;
use crate::device::Figures;
use crate::package::{Condition, Inventory};

/// What is asked. It starts no Java runtime on any version.
pub fn figures_request() -> Request {
    marked_request([("space", "df /data"), ("memory", "cat /proc/meminfo")])
}

/// Reads the answer to [`figures_request`], beside what an inventory that was read at the same time counts.
pub fn read_figures(text: &str, inventory: &Inventory) -> Figures {
    let mut figures = Figures::default();
    for user in &inventory.users {
        let in_use =
            |package: &&std::sync::Arc<crate::package::Package>| package.condition(user.id) == Condition::InUse;
        let count = inventory.packages.values().filter(in_use).count();
        figures.in_use.insert(user.id, u32::try_from(count).unwrap_or(u32::MAX));
    }
    for (name, body) in parts(text) {
        match name {
            "space" => figures.free = space(body).map(|space| space.free),
            "memory" => figures.memory = memory(body),
            _ => {}
        }
    }
    figures
}

/// What programs can have: `MemAvailable` where the kernel tells it (3.14 on), else what is free with what it keeps of files.
fn memory(body: &str) -> Option<u64> {
    let of = |name: &str| {
        let line = body.lines().find_map(|line| line.strip_prefix(name)?.strip_prefix(':'))?;
        line.trim().strip_suffix("kB")?.trim().parse::<u64>().ok()?.checked_mul(1024)
    };
    of("MemAvailable").or_else(|| of("MemFree")?.checked_add(of("Cached").unwrap_or(0)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::device::UserKind;
    use crate::package::{PackageKind, PackageState};
    use crate::testing;
    use wibbet_types::UserId;

    #[test]
    fn figures_of_a_new_and_of_an_old_kernel() {
        let out = PackageState { installed: false, ..PackageState::IN_USE };
        let package = |id, state| testing::package(id, PackageKind::System, "", &[(0, state)]);
        let users = [testing::user(0, "", UserKind::Owner)];
        let inventory = testing::inventory(&users, [package("a", PackageState::IN_USE), package("b", out)]);
        let df = "Filesystem       1K-blocks     Used Available Use% Mounted on\n/dev/block/dm-5  112000000 51000000 61000000  46% /data\n";
        let text = format!(
            "wibbet-part:space\n{df}wibbet-part:memory\nMemTotal: 8000000 kB\nMemFree:  100 kB\nMemAvailable:   3000 kB\nCached: 5 kB\n"
        );
        let figures = read_figures(&text, &inventory);
        assert_eq!(figures.in_use, [(UserId::OWNER, 1)].into());
        assert_eq!((figures.free, figures.memory), (Some(61_000_000 * 1024), Some(3000 * 1024)));
        let old = "wibbet-part:memory\nMemTotal: 8000 kB\nMemFree:  100 kB\nCached:   50 kB\n";
        assert_eq!(read_figures(old, &inventory).memory, Some(150 * 1024));
        let odd = "wibbet-part:memory\nMemAvailable: 99999999999999999999 kB\nMemFree: x\n";
        assert_eq!((read_figures(odd, &inventory).memory, read_figures("", &inventory).free), (None, None));
    }
}
