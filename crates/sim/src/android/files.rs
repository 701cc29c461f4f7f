//! Files of a device.

use std::collections::BTreeMap;
use std::sync::{Arc, OnceLock};

use super::installed::InstalledPackage;
use crate::apk::{Image, Plan};
use crate::scenario::Scenario;

/// A file.
#[derive(Debug, Clone)]
pub(crate) struct File {
    pub(crate) mode: u32,
    pub(crate) time: u32,
    pub(crate) data: Contents,
}

/// What is in a file.
#[derive(Debug, Clone)]
pub(crate) enum Contents {
    Bytes(Vec<u8>),
    /// An APK: its length is known, the rest is made when somebody reads it.
    Apk(Arc<Apk>),
}

#[derive(Debug)]
pub(crate) struct Apk {
    plan: Plan,
    len: OnceLock<u64>,
    image: OnceLock<Image>,
}

impl Contents {
    pub(crate) fn apk(plan: Plan) -> Self {
        Self::Apk(Arc::new(Apk { plan, len: OnceLock::new(), image: OnceLock::new() }))
    }

    pub(crate) fn len(&self) -> u64 {
        match self {
            Self::Bytes(bytes) => bytes.len() as u64,
            Self::Apk(apk) => *apk.len.get_or_init(|| apk.plan.write(false).len()),
        }
    }

    /// A range, as far as there is one.
    pub(crate) fn read(&self, at: u64, len: usize) -> Vec<u8> {
        match self {
            Self::Bytes(bytes) => {
                let at = usize::try_from(at).unwrap_or(usize::MAX).min(bytes.len());
                bytes[at..at.saturating_add(len).min(bytes.len())].to_vec()
            }
            Self::Apk(apk) => apk.image.get_or_init(|| apk.plan.write(true)).read(at, len),
        }
    }
}

pub(crate) const REGULAR: u32 = 0o100_000;

pub(crate) const FOLDER: u32 = 0o040_755;

/// Every package's APKs.
pub(crate) fn first_files(scenario: &Scenario) -> BTreeMap<String, File> {
    let mut files = BTreeMap::new();
    for package in InstalledPackage::all_of(scenario).values() {
        let plan = scenario.apk_plan(&package.data);
        // System images give all files one time; what came later has its own.
        let time = if package.code_path().starts_with("/data/") { 1_774_000_000 + package.uid } else { 1_230_768_000 };
        let mut add = |path: String, plan: Plan| {
            files.insert(path, File { mode: REGULAR | 0o644, time, data: Contents::apk(plan) });
        };
        if let Some(folder) = package.apk().strip_suffix("/base.apk").filter(|_| !package.splits().is_empty()) {
            for split in package.splits() {
                let part = match split.strip_prefix("config.") {
                    Some("xxhdpi") | None => plan.split_for_screens(),
                    Some(language) => plan.split_for(language),
                };
                add(format!("{folder}/split_{split}.apk"), part);
            }
        }
        add(package.apk(), plan);
    }
    files
}
