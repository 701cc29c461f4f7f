//! Devices with more packages than anybody would write down.

use super::format::Scenario;

impl Scenario {
    /// The same device with at least so many packages: those that it has, over and over under other ids.
    #[must_use]
    pub fn grown(mut self, count: usize) -> Self {
        let own = self.inventory.packages.clone();
        let more = (1..).flat_map(|n| own.iter().map(move |p| (n, p))).take(count.saturating_sub(own.len()));
        for (n, package) in more {
            let mut package = package.clone();
            package.id = format!("{}.twin{n}", package.id);
            package.path = match package.path.strip_suffix(".apk") {
                Some(path) => format!("{path}{n}.apk"),
                None => format!("{}{n}", package.path),
            };
            package.update = package.update.map(|path| format!("{path}{n}"));
            self.inventory.packages.push(package);
        }
        self
    }
}
