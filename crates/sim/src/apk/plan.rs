//! APKs of bench devices: valid files of believable sizes, made where they are read.

use std::io::Write as _;

use super::image::{Image, Rule};
use super::table::{Layout, TableShape};
use super::xml::{Document, Given};
use crate::catalogue::identity;
use crate::catalogue::labels::LANGUAGES;
use crate::catalogue::manifests::Element;
use crate::scenario::{SimKind, SimPackage};
use crate::seed::mix;

/// What is odd about an APK.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Oddity {
    None,
    /// The table is compressed.
    DeflatedTable,
    /// Bytes between central directory and end record.
    Garbage,
    /// Bytes before the ZIP.
    Prefix,
    /// A comment behind the end record.
    Comment,
    /// The manifest names a label that the table does not have.
    NoEntry,
    /// The file is cut off.
    Cut,
    /// No label at all.
    NoLabel,
    /// The label stands in the manifest itself.
    Literal,
    /// The label is a text of the framework.
    Framework,
}

/// An APK's plan.
#[derive(Debug, Clone)]
pub(crate) struct Plan {
    pub(crate) id: String,
    /// The label in no language in particular.
    pub(crate) title: String,
    pub(crate) oddity: Oddity,
    pub(crate) launcher: bool,
    version: String,
    version_code: u32,
    sdk: u32,
    tv: bool,
    overlay: bool,
    framework: bool,
    /// Texts by which Android finds parts of itself, and their names.
    names: Vec<(&'static str, &'static str)>,
    /// What the manifest declares beyond what every made-up app has.
    declared: Vec<&'static Element>,
    /// The language of a split, or of none.
    split: Option<&'static str>,
    /// The base leaves languages to splits.
    bare: bool,
    permissions: Vec<String>,
    files: usize,
    file_size: usize,
    dex: u64,
    libs: u64,
    strings: usize,
    languages: usize,
    seed: u64,
}

impl Plan {
    pub(crate) fn of(package: &SimPackage, sdk: u32, version: &str, tv: bool, permissions: Vec<String>) -> Self {
        let id = &package.id;
        let seed = mix(id);
        let overlay = package.path.contains("/overlay/");
        let framework = id == "android";
        let service = !crate::catalogue::labels::has_icon(id);
        // From small overlays to apps of forty megabytes.
        let weight = 1.0 + (seed % 1000) as f64 / 1000.0 * 9.0;
        let (files, dex, libs, strings, languages) = match () {
            () if overlay => (4, 0, 0, 4, 0),
            () if framework => (2200, 4 << 20, 0, 2200, 85),
            () if service => {
                let w = weight * weight;
                (
                    (12.0 * w) as usize,
                    (40_000.0 * w) as u64,
                    0,
                    (5.0 * w) as usize + 8,
                    [0, 12, 45, 85][(seed >> 12) as usize % 4],
                )
            }
            () => {
                let w = weight * weight;
                let libs = if seed.is_multiple_of(3) { (150_000.0 * w) as u64 } else { 0 };
                (
                    (24.0 * w) as usize,
                    (120_000.0 * w) as u64,
                    libs,
                    (12.0 * w) as usize + 30,
                    [12, 45, 85, 85][(seed >> 12) as usize % 4],
                )
            }
        };
        let oddity = match (seed >> 20) % 41 {
            _ if framework || overlay => Oddity::None,
            0 if strings < 120 => Oddity::DeflatedTable,
            1 => Oddity::Garbage,
            2 => Oddity::Prefix,
            3 => Oddity::Comment,
            4 if service => Oddity::NoEntry,
            5 if service => Oddity::Cut,
            6 if service => Oddity::NoLabel,
            7 => Oddity::Literal,
            8 if service => Oddity::Framework,
            _ => Oddity::None,
        };
        let splits = Self::has_splits(package);
        Self {
            id: id.clone(),
            title: match &package.label {
                Some(label) => label.clone(),
                None => crate::catalogue::labels::title(id, &package.path),
            },
            oddity: if splits { Oddity::None } else { oddity },
            launcher: !service,
            version: version.to_owned(),
            version_code: Self::version_code(package, sdk),
            sdk,
            tv,
            overlay,
            framework,
            names: Vec::new(),
            declared: Vec::new(),
            split: None,
            bare: splits,
            permissions,
            files,
            file_size: 400 + (seed % 2000) as usize,
            dex,
            libs,
            strings,
            languages,
            seed,
        }
    }

    /// The version of what is installed: an update is newer than what came with the system.
    pub(crate) fn version_code(package: &SimPackage, sdk: u32) -> u32 {
        let own = sdk * 100 + (mix(&package.id) % 100) as u32 + 100 * package.revision;
        own + if package.update.is_some() { 1000 } else { 0 }
    }

    /// Whether a package comes in parts: what somebody installed from a store.
    pub(crate) fn has_splits(package: &SimPackage) -> bool {
        package.kind == SimKind::User && package.path.contains("/~~")
    }

    /// The part with a language.
    pub(crate) fn split_for(&self, language: &'static str) -> Self {
        Self { split: Some(language), files: 0, dex: 0, libs: 0, languages: 0, launcher: false, ..self.clone() }
    }

    /// Where code is split off for screens there is little in the file.
    pub(crate) fn split_for_screens(&self) -> Self {
        Self { split: Some(""), dex: 0, libs: 0, languages: 0, strings: 4, launcher: false, ..self.clone() }
    }

    fn shape(&self) -> TableShape {
        let framework = self.framework;
        let title = self.title.clone();
        let layout = match self.seed % 5 {
            0 if self.sdk >= 34 => Layout::Compact,
            1 | 2 => Layout::Sparse,
            _ => Layout::Plain,
        };
        // The first text is the label, the second a reference to it, the third the name on the home screen.
        let home = crate::catalogue::labels::home_name(&self.id);
        let languages = if self.split.is_some_and(|s| !s.is_empty()) {
            let code = self.split.unwrap_or("");
            LANGUAGES
                .iter()
                .filter(|l| l.starts_with(code) && !l[code.len()..].starts_with(|c: char| c.is_ascii_lowercase()))
                .copied()
                .collect()
        } else if self.bare {
            Vec::new()
        } else {
            crate::catalogue::labels::spread(self.languages)
        };
        let mut languages: Vec<([u8; 4], Vec<Option<String>>)> = languages
            .into_iter()
            .map(|code: &str| {
                let own = crate::catalogue::labels::translation(&self.id, code)
                    .filter(|own| *own != title)
                    .map(str::to_owned);
                (crate::catalogue::labels::packed(code), vec![own, None, None])
            })
            .collect();
        // As tools sort them: by the last letter of the region first.
        languages.sort_by_key(|l| u32::from_le_bytes(l.0));
        TableShape {
            package: self.id.clone(),
            package_id: if framework { 1 } else { 0x7f },
            wide: self.seed % 4 == 3,
            layout,
            strings: self.strings,
            languages,
            labels: [title, "@0".to_owned(), home.unwrap_or("@0").to_owned()]
                .into_iter()
                .chain(self.names.iter().map(|(_, text)| (*text).to_owned()))
                .collect(),
            names: self.names.iter().map(|(name, _)| (*name).to_owned()).collect(),
            seed: self.seed,
        }
    }

    fn manifest(&self, shape: &TableShape) -> Vec<u8> {
        let text = |t: &str| Given::Text(t.to_owned());
        let mut doc = Document::default();
        let mut head = vec![
            (0x0101_021b, "versionCode", Given::Number(self.version_code)),
            (0x0101_021c, "versionName", text(&self.version)),
            (0, "package", text(&self.id)),
        ];
        if let Some(split) = self.split {
            let name = if split.is_empty() { "config.xxhdpi".to_owned() } else { format!("config.{split}") };
            head.push((0, "split", text(&name)));
        }
        let declared = if self.split.is_some() { Vec::new() } else { self.declared.clone() };
        let app = declared.iter().find(|element| element.kind == "app");
        if app.is_some_and(|app| app.is("core")) {
            head.push((0, "coreApp", Given::Bool(true)));
        }
        if let Some((user, _)) = identity::shared_user(&self.id).filter(|_| self.split.is_none()) {
            head.push((0x0101_000b, "sharedUserId", text(user)));
        }
        doc.start("manifest", head);
        doc.one(
            "uses-sdk",
            vec![
                (0x0101_020c, "minSdkVersion", Given::Number(self.sdk.min(23))),
                (0x0101_0270, "targetSdkVersion", Given::Number(self.sdk)),
            ],
        );
        if self.overlay {
            doc.one(
                "overlay",
                vec![(
                    0x0101_0021,
                    "targetPackage",
                    text(if self.names.is_empty() { "com.android.systemui" } else { "android" }),
                )],
            );
        }
        for permission in &self.permissions {
            doc.one("uses-permission", vec![(0x0101_0003, "name", text(permission))]);
        }
        queries(&mut doc, &declared);
        let mut application = vec![(0x0101_000c, "hasCode", Given::Bool(self.dex > 0))];
        if self.split.is_none() {
            if identity::is_persistent(&self.id) {
                application.push((0x0101_000d, "persistent", Given::Bool(true)));
            }
            let process = app.and_then(|app| app.one("process")).unwrap_or(identity::process(&self.id));
            if process != self.id {
                application.push((0x0101_0011, "process", text(process)));
            }
            if app.is_some_and(|app| app.is("boot")) {
                application.push((0x0101_0505, "directBootAware", Given::Bool(true)));
            }
        }
        match self.oddity {
            _ if self.split.is_some() => {}
            Oddity::NoLabel => {}
            Oddity::Literal => application.push((0x0101_0001, "label", text(&self.title))),
            Oddity::Framework => {
                application.push((0x0101_0001, "label", Given::Reference(0x0104_0000)));
            }
            Oddity::NoEntry => {
                application.push((0x0101_0001, "label", Given::Reference(shape.string_id(60_000))));
            }
            // Every second one refers to a reference.
            _ => {
                let n = (self.seed >> 5) as usize % 2;
                application.push((0x0101_0001, "label", Given::Reference(shape.string_id(n))));
            }
        }
        doc.start("application", application);
        doc.one(
            "uses-library",
            vec![(0x0101_0003, "name", text("org.apache.http.legacy")), (0x0101_028e, "required", Given::Bool(false))],
        );
        if self.launcher {
            let mut activity = vec![(0x0101_0003, "name", text(".Main")), (0x0101_0010, "exported", Given::Bool(true))];
            if self.oddity != Oddity::Literal {
                activity.push((0x0101_0001, "label", Given::Reference(shape.string_id(2))));
            }
            doc.start("activity", activity);
            doc.start("intent-filter", Vec::new());
            doc.one("action", vec![(0x0101_0003, "name", text("android.intent.action.MAIN"))]);
            let category = if self.tv { "LEANBACK_LAUNCHER" } else { "LAUNCHER" };
            doc.one("category", vec![(0x0101_0003, "name", text(&format!("android.intent.category.{category}")))]);
            doc.end("intent-filter");
            doc.end("activity");
        }
        for element in declared.iter().filter(|element| !matches!(element.kind, "app" | "asks")) {
            component(&mut doc, element);
        }
        if self.split.is_none() && !self.overlay {
            for n in 0..(self.files / 8).min(200) {
                let (kind, name) = [("activity", "Screen"), ("service", "Worker"), ("receiver", "Listener")][n % 3];
                doc.one(
                    kind,
                    vec![
                        (0x0101_0003, "name", text(&format!("{}.parts.{name}{n}", self.id))),
                        (0x0101_0010, "exported", Given::Bool(n % 5 == 0)),
                    ],
                );
            }
            doc.one(
                "provider",
                vec![
                    (0x0101_0003, "name", text(".Files")),
                    (0x0101_0018, "authorities", text(&format!("{}.files", self.id))),
                    (0x0101_0010, "exported", Given::Bool(false)),
                ],
            );
        }
        doc.end("application");
        doc.end("manifest");
        doc.bytes(self.seed.is_multiple_of(2))
    }

    /// The file. Without `sums` its checksums are 0, which is enough to know its length.
    pub(crate) fn write(&self, sums: bool) -> Image {
        let shape = self.shape();
        let mut zip = Zip { sums, ..Zip::default() };
        if self.oddity == Oddity::Prefix {
            zip.image.bytes(*b"#!/made/up/loader\n");
            zip.shift = zip.image.len() as u32;
        }
        let manifest = self.manifest(&shape);
        zip.deflated("AndroidManifest.xml", &manifest);
        if self.dex > 0 {
            let mut dex = Image::default();
            dex.bytes(*b"dex\n039\0");
            dex.noise(self.seed ^ 1, self.dex);
            zip.stored("classes.dex", dex);
        }
        if self.libs > 0 {
            let mut lib = Image::default();
            lib.bytes(*b"\x7fELF");
            lib.noise(self.seed ^ 2, self.libs);
            zip.stored("lib/arm64-v8a/libmain.so", lib);
        }
        zip.many(self.files, self.file_size, self.seed ^ 3);
        let table = shape.write();
        if self.oddity == Oddity::DeflatedTable {
            zip.deflated("resources.arsc", &table.read(0, usize::MAX));
        } else {
            zip.stored("resources.arsc", table);
        }
        let garbage = self.oddity == Oddity::Garbage;
        let mut image = zip.finish(garbage, if self.oddity == Oddity::Comment { b"made up" } else { b"" });
        if self.oddity == Oddity::Cut {
            image.truncate(image.len() * 2 / 3);
        }
        image.shrink();
        image
    }
}

/// Whom an app says that it talks to.
fn queries(doc: &mut Document, declared: &[&Element]) {
    let text = |t: &str| Given::Text(t.to_owned());
    let asks: Vec<&&Element> = declared.iter().filter(|element| element.kind == "asks").collect();
    if asks.is_empty() {
        return;
    }
    doc.start("queries", Vec::new());
    for element in asks {
        for id in element.all("package") {
            doc.one("package", vec![(0x0101_0003, "name", text(id))]);
        }
        for action in element.all("action") {
            doc.start("intent", Vec::new());
            doc.one("action", vec![(0x0101_0003, "name", text(action))]);
            doc.end("intent");
        }
        for authority in element.all("authority") {
            doc.one("provider", vec![(0x0101_0018, "authorities", text(authority))]);
        }
    }
    doc.end("queries");
}

/// A component with what it is found by.
fn component(doc: &mut Document, element: &Element) {
    let text = |t: &str| Given::Text(t.to_owned());
    let name = |value: &str| vec![(0x0101_0003, "name", text(value))];
    let exported = !element.is("hidden");
    let mut attributes =
        vec![(0x0101_0003, "name", text(&element.class)), (0x0101_0010, "exported", Given::Bool(exported))];
    let values = [
        ("guard", 0x0101_0006, "permission"),
        ("process", 0x0101_0011, "process"),
        ("authority", 0x0101_0018, "authorities"),
    ];
    for (own, id, attribute) in values {
        if let Some(value) = element.one(own) {
            attributes.push((id, attribute, text(value)));
        }
    }
    if element.is("boot") {
        attributes.push((0x0101_0505, "directBootAware", Given::Bool(true)));
    }
    doc.start(element.kind, attributes);
    if element.one("action").is_some() {
        let priority = element.one("priority").and_then(|n| n.parse::<i32>().ok());
        let priority = priority.map(|n| (0x0101_001c, "priority", Given::Number(n as u32)));
        doc.start("intent-filter", priority.into_iter().collect());
        element.all("action").for_each(|action| doc.one("action", name(action)));
        element.all("category").for_each(|category| doc.one("category", name(category)));
        doc.end("intent-filter");
    }
    element.all("meta").for_each(|meta| doc.one("meta-data", name(meta)));
    doc.end(element.kind);
}

/// A ZIP file that is being written.
#[derive(Default)]
struct Zip {
    image: Image,
    /// What stands before the ZIP, and is not counted.
    shift: u32,
    sums: bool,
    directory: Image,
    entries: usize,
}

impl Zip {
    fn sum(&self, data: &Image) -> u32 {
        if self.sums { data.crc() } else { 0 }
    }

    fn heads(name: &str, method: u16, crc: u32, packed: u32, size: u32, at: u32, padding: usize) -> (Vec<u8>, Vec<u8>) {
        let mut middle = Vec::new();
        for n in [0u16, method, 0, 0x5a21] {
            middle.extend(n.to_le_bytes());
        }
        for n in [crc, packed, size] {
            middle.extend(n.to_le_bytes());
        }
        middle.extend((name.len() as u16).to_le_bytes());
        let mut local = vec![b'P', b'K', 3, 4, 20, 0];
        local.extend(&middle);
        local.extend((padding as u16).to_le_bytes());
        local.extend(name.bytes());
        local.extend(vec![0; padding]);
        let mut central = vec![b'P', b'K', 1, 2, 20, 0, 20, 0];
        central.extend(&middle);
        central.extend([0; 2 + 2 + 2 + 2 + 4]);
        central.extend(at.to_le_bytes());
        central.extend(name.bytes());
        (local, central)
    }

    fn deflated(&mut self, name: &str, bytes: &[u8]) {
        let mut encoder = flate2::write::DeflateEncoder::new(Vec::new(), flate2::Compression::default());
        // Writing into memory does not fail.
        let packed = encoder.write_all(bytes).and_then(|()| encoder.finish()).unwrap_or_default();
        let crc = crc32fast::hash(bytes);
        let at = self.image.len() as u32 - self.shift;
        let (local, central) = Self::heads(name, 8, crc, packed.len() as u32, bytes.len() as u32, at, 0);
        self.image.bytes(local);
        self.image.bytes(packed);
        self.directory.bytes(central);
        self.entries += 1;
    }

    fn stored(&mut self, name: &str, data: Image) {
        let at = self.image.len();
        let padding = (4 - (at as usize + 30 + name.len()) % 4) % 4;
        let size = data.len() as u32;
        let (local, central) = Self::heads(name, 0, self.sum(&data), size, size, at as u32 - self.shift, padding);
        self.image.bytes(local);
        self.image.append(&data);
        self.directory.bytes(central);
        self.entries += 1;
    }

    /// Pictures and layouts, all of one size.
    fn many(&mut self, count: usize, size: usize, seed: u64) {
        if count == 0 {
            return;
        }
        let mut data = Image::default();
        data.noise(seed, size as u64);
        let (local, central) =
            Self::heads("res/drawable/a0000.png", 0, self.sum(&data), size as u32, size as u32, 0, 0);
        let mut file = local.clone();
        file.extend(data.read(0, size));
        let first = self.image.len() as u32 - self.shift;
        let record = file.len();
        let digits = 30 + "res/drawable/a".len();
        self.image.records(Rule::Numbered { template: file, place: digits }, record, count);
        let patches = vec![(42, first, record as u32)];
        let len = central.len();
        self.directory.records(Rule::Patched { template: central, patches, digits: Some(digits + 16) }, len, count);
        self.entries += count;
    }

    fn finish(self, garbage: bool, comment: &[u8]) -> Image {
        let Self { mut image, directory, entries, shift, .. } = self;
        // The signing block: its length, pairs, its length again, and its name.
        let pairs = 1200;
        let block = (pairs as u64 + 24).to_le_bytes();
        image.bytes(block);
        image.records(Rule::Same(vec![0x5a]), 1, pairs);
        image.bytes(block);
        image.bytes(*b"APK Sig Block 42");
        let (at, size) = (image.len() as u32 - shift, directory.len() as u32);
        image.append(&directory);
        if garbage {
            image.bytes(*b"left over");
        }
        let mut end = vec![b'P', b'K', 5, 6, 0, 0, 0, 0];
        end.extend((entries as u16).to_le_bytes());
        end.extend((entries as u16).to_le_bytes());
        end.extend(size.to_le_bytes());
        end.extend(at.to_le_bytes());
        end.extend((comment.len() as u16).to_le_bytes());
        end.extend(comment);
        image.bytes(end);
        image
    }
}

impl crate::scenario::Scenario {
    /// The plan of a package's base APK.
    pub(crate) fn apk_plan(&self, package: &SimPackage) -> Plan {
        let version = package.version.as_deref().unwrap_or(&self.version);
        let tv = self.characteristics.contains("tv");
        Plan {
            declared: self.declared(&package.id),
            names: self.framework_texts(&package.id),
            ..Plan::of(package, self.android.sdk, version, tv, crate::catalogue::usage::permissions(&package.id))
        }
    }
}
