//! What changes packages without anybody having asked for each: an update of the system, the store, a factory reset.

use super::installed::InstalledPackage;
use super::state::State;
use crate::scenario::SimKind;

impl State {
    /// Whether an update of the system is to be had.
    pub(crate) fn has_update(&self) -> bool {
        self.scenario.update.is_some()
    }

    /// The system is updated: another build, its parts in other versions. What people have uninstalled or disabled stays so
    /// (`package-restrictions.xml` is none of its files), but for what the maker's updater brings back.
    pub(crate) fn update_system(&mut self) {
        let Some(update) = self.scenario.update.take() else { return };
        self.scenario.build.clone_from(&update.build);
        self.scenario.android.patch.clone_from(&update.patch);
        self.write_all();
        for (old, new) in &update.renames {
            let Some(mut package) = self.packages.remove(old) else { continue };
            package.data.id.clone_from(new);
            package.data.path = package.data.path.replace(old.as_str(), new);
            // An update over it was one of the package of the old name.
            package.data.update = None;
            let old_uid = package.uid;
            let data = package.data;
            // It is another package to Android: in use for everybody, with nothing of what people gave the old one.
            let users = self.in_use_for_all();
            let uid = self.packages.values().map(|other| other.uid).max().unwrap_or(old_uid).max(old_uid) + 1;
            for kept in self.scenario.inventory.packages.iter_mut().filter(|kept| kept.id == *old) {
                *kept = data.clone();
            }
            self.packages.insert(new.clone(), InstalledPackage { users, ..InstalledPackage::new(data, uid) });
        }
        for data in update.adds {
            let users = self.in_use_for_all();
            let uid = self.packages.values().map(|other| other.uid).max().unwrap_or(10_000) + 1;
            self.scenario.inventory.packages.push(data.clone());
            self.packages.insert(data.id.clone(), InstalledPackage { users, ..InstalledPackage::new(data, uid) });
        }
        for package in self.packages.values_mut().filter(|package| package.data.kind == SimKind::System) {
            package.data.revision += 1;
        }
        let system = self.scenario.inventory.packages.iter_mut().filter(|package| package.kind == SimKind::System);
        system.for_each(|package| package.revision += 1);
        update.brings_back.iter().for_each(|id| self.bring_back(id));
    }

    /// The store updates apps, and takes some that were uninstalled for ones that are to be there.
    pub(crate) fn update_from_store(&mut self) {
        for id in self.scenario.store_brings_back.clone() {
            self.bring_back(&id);
        }
    }

    fn bring_back(&mut self, id: &str) {
        let Some(package) = self.packages.get_mut(id) else { return };
        for state in package.users.values_mut() {
            (state.installed, state.enabled) = (true, 0);
        }
    }

    fn in_use_for_all(&self) -> std::collections::BTreeMap<u32, super::installed::UserState> {
        let there = super::installed::UserState { installed: true, ..Default::default() };
        self.scenario.users.iter().map(|user| (user.id, there)).collect()
    }

    /// Everything that people did goes: their apps and users, what they uninstalled, whom they allowed. The serial stays; the Android id is
    /// another.
    pub(crate) fn reset(&mut self) {
        let mut scenario = self.scenario.clone();
        scenario.users.retain(|user| user.id == 0);
        scenario.managed.clear();
        scenario.accounts = 0;
        scenario.android_id = scenario.android_id.map(|_| format!("{:016x}", self.random.u64(..)));
        scenario.inventory.packages.retain(|package| package.kind == SimKind::System);
        for package in &mut scenario.inventory.packages {
            package.update = None;
            package.gone_for.clear();
            package.enabled.clear();
            package.hidden.clear();
            package.suspended.clear();
            package.parts_off.clear();
            package.parts_on.clear();
            package.admin = false;
        }
        let mut fresh = Self::new(scenario, self.random.u64(..));
        // What is of the simulation, not of the device.
        std::mem::swap(&mut fresh.transcript, &mut self.transcript);
        std::mem::swap(&mut fresh.events, &mut self.events);
        std::mem::swap(&mut fresh.traffic, &mut self.traffic);
        std::mem::swap(&mut fresh.cutter, &mut self.cutter);
        (fresh.latency, fresh.connections, fresh.adrift) = (self.latency, self.connections, self.adrift);
        (fresh.programs, fresh.packed, fresh.dialogs) = (self.programs, self.packed, self.dialogs);
        fresh.nobody_allows = self.nobody_allows;
        fresh.round = self.round;
        *self = fresh;
    }
}
