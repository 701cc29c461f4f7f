//! The partition with the system's packages, as root sees and changes it: folders, files and links with owner, mode and context. What
//! is changed there the package service notices when the device starts anew: a package whose folder is gone is no more, with its data;
//! one that lies there again as it did before is there again, for everybody, as if it had never been used.
//! Source: toybox of Android 8.1, and `PackageManagerService`'s scan of the partitions.

use super::files::{Contents, File, REGULAR};
use super::installed::{InstalledPackage, UserState};
use super::nodes::{Node, NodeKind, folder_of};
use super::output::Output;
use super::state::State;
use super::words::split_commands;

/// Where whoever debugs may write.
const OF_THE_SHELL: &str = "/data/local/tmp/";

impl State {
    /// What is done to the partition, and what makes it ready; `None` for a line that is not about that.
    pub(super) fn on_the_partition(&mut self, line: &str) -> Option<Output> {
        if let Some(rest) = line.strip_prefix("find ") {
            return Some(self.find(rest));
        }
        if let Some(script) = line.strip_prefix("w=;for m in ") {
            let (mounts, rest) =
                script.split_once(";do if mount -o rw,remount $m 2>/dev/null;then w=$m;break;fi;done;")?;
            let (what, _) = rest.split_once(";sync;[ -n \"$w\" ]&&mount -o ro,remount $w 2>/dev/null")?;
            // This device has one for all of it.
            let can = self.as_root && !self.verified && mounts.split(' ').any(|mount| mount == "/system");
            return Some(self.all_of(what, can));
        }
        let own = ["rm -rf ", "head -c "].iter().any(|program| line.starts_with(program));
        (own && line.contains(OF_THE_SHELL) && line.contains("&&")).then(|| {
            let mut said = Output::default();
            for command in line.split(';') {
                said = self.all_of(command, false);
            }
            said
        })
    }

    /// Commands of which each is carried out where those before it were.
    fn all_of(&mut self, line: &str, writable: bool) -> Output {
        let mut all = Output::default();
        for command in line.split("&&") {
            let words = split_commands(command).into_iter().next().unwrap_or_default();
            let output = self.on_files(&words, writable);
            all.out.push_str(&output.out);
            all.err.push_str(&output.err);
            all.code = output.code;
            if all.code != 0 {
                break;
            }
        }
        Output { merged: all.together(), ..all }
    }

    fn on_files(&mut self, words: &[String], writable: bool) -> Output {
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let Some((program, rest)) = words.split_first() else { return Output::default() };
        let read_only = |path: &str| Output::failed(1, format!("{program}: {path}: Read-only file system\n"));
        let may = |path: &str| writable || path.starts_with(OF_THE_SHELL);
        match (*program, rest) {
            ("echo", rest) => Output::ok(format!("{}\n", rest.join(" "))),
            ("rm", ["-r" | "-rf", path]) if !may(path) => read_only(path),
            ("rm", [option, path]) => {
                let below = format!("{path}/");
                let is_there = self.nodes.contains_key(*path)
                    || self.files.keys().any(|file| file == path || file.starts_with(&below));
                if *option == "-r" && !is_there {
                    return Output::failed(1, format!("rm: {path}: No such file or directory\n"));
                }
                self.nodes.retain(|node, _| node != path && !node.starts_with(&below));
                self.files.retain(|file, _| file != path && !file.starts_with(&below));
                Output::default()
            }
            ("mkdir", ["-p", path]) if !may(path) => read_only(path),
            ("mkdir", ["-p", path]) => {
                // A new folder is root's, and has the context of the one that it is in.
                self.nodes.entry((*path).to_owned()).or_insert_with(|| Node::new(NodeKind::Folder, 0o700));
                Output::default()
            }
            ("head", ["-c", _, to]) if to.strip_prefix('>').is_some_and(may) => {
                let data = Contents::Bytes(std::mem::take(&mut self.input));
                let path = to.trim_start_matches('>').to_owned();
                self.files.insert(path, File { mode: REGULAR | 0o600, time: 1_774_000_000, data });
                Output::default()
            }
            ("cp", [from, to]) if may(to) => {
                let Some(file) = self.files.get(*from).cloned() else {
                    return Output::failed(1, format!("cp: bad '{from}': No such file or directory\n"));
                };
                self.files.insert((*to).to_owned(), file);
                self.nodes.insert((*to).to_owned(), Node::new(NodeKind::File, 0o600));
                Output::default()
            }
            ("ln", ["-sf", to, path]) if may(path) => {
                self.nodes.insert((*path).to_owned(), Node::new(NodeKind::Link((*to).to_owned()), 0o777));
                Output::default()
            }
            ("chown", [who, path]) if may(path) => self.change_node(path, |node| {
                let (owner, group) = who.split_once(':')?;
                (node.owner, node.group) = (owner.parse().ok()?, group.parse().ok()?);
                Some(())
            }),
            ("chmod", [mode, path]) if may(path) => self.change_node(path, |node| {
                node.mode = u32::from_str_radix(mode, 8).ok()?;
                Some(())
            }),
            ("chcon", ["-h", context, path]) if may(path) => self.change_node(path, |node| {
                (*context).clone_into(&mut node.context);
                Some(())
            }),
            ("cp" | "ln" | "chown" | "chmod" | "chcon" | "head", rest) => read_only(rest.last().unwrap_or(&"")),
            _ => Output::failed(127, format!("/system/bin/sh: {program}: not found\n")),
        }
    }

    fn change_node(&mut self, path: &str, change: impl FnOnce(&mut Node) -> Option<()>) -> Output {
        match self.nodes.get_mut(path).map(change) {
            Some(Some(())) => Output::default(),
            Some(None) => Output::failed(1, "Unknown option\n"),
            None => Output::failed(1, format!("{path}: No such file or directory\n")),
        }
    }

    /// `find FOLDER -exec stat -c FORMAT {} +`, a mark, where the links lead, a mark, and contexts.
    fn find(&self, rest: &str) -> Output {
        let commands = split_commands(rest);
        let folder = commands.first().and_then(|words| words.first()).cloned().unwrap_or_default();
        let below = format!("{folder}/");
        let own = self.nodes.range(folder.clone()..).filter(|(path, _)| **path == folder || path.starts_with(&below));
        let own: Vec<(&String, &Node)> = own.collect();
        let mut output = Output::default();
        if own.is_empty() {
            output.err = format!("find: '{folder}': No such file or directory\n").repeat(3);
        }
        for (path, node) in &own {
            let size = match node.kind {
                NodeKind::Folder => 4096,
                NodeKind::File => self.files.get(*path).map_or(0, |file| file.data.len()),
                NodeKind::Link(ref to) => to.len() as u64,
            };
            let Node { owner, group, .. } = node;
            output.out.push_str(&format!("{:x} {owner} {group} {size} {path}\n", node.whole_mode()));
        }
        output.out.push_str("wibbet-links\n");
        for (_, node) in &own {
            if let NodeKind::Link(to) = &node.kind {
                output.out.push_str(&format!("{to}\n"));
            }
        }
        output.out.push_str("wibbet-contexts\n");
        for (path, node) in &own {
            output.out.push_str(&format!("{} {path}\n", node.context));
        }
        Output { merged: output.together(), ..output }
    }

    /// What lies in a package's folder there, whether Android knows of it or not.
    pub(crate) fn lies_on_the_partition(&self, id: &str) -> Vec<String> {
        let package = self.packages.get(id).or_else(|| self.off_the_partition.get(id));
        let Some(folder) = package.and_then(folder_of) else { return Vec::new() };
        let below = format!("{folder}/");
        self.nodes.keys().filter(|path| **path == folder || path.starts_with(&below)).cloned().collect()
    }

    /// The package service looks at the partition.
    pub(super) fn scan_the_partition(&mut self) {
        if !self.scenario.su {
            return;
        }
        let gone: Vec<String> = self
            .packages
            .iter()
            .filter(|(_, package)| folder_of(package).is_some_and(|folder| !self.lies_right(package, &folder)))
            .map(|(id, _)| id.clone())
            .collect();
        for id in gone {
            let users: Vec<u32> = self.packages.get(&id).into_iter().flat_map(|p| p.users.keys().copied()).collect();
            users.into_iter().for_each(|user| self.data_go(&id, user));
            if let Some(package) = self.packages.remove(&id) {
                self.off_the_partition.insert(id, package);
            }
        }
        let back = self
            .off_the_partition
            .iter()
            .filter(|(_, package)| folder_of(package).is_some_and(|folder| self.lies_right(package, &folder)));
        let back: Vec<String> = back.map(|(id, _)| id.clone()).collect();
        for id in back {
            if let Some(mut package) = self.off_the_partition.remove(&id) {
                package
                    .users
                    .values_mut()
                    .for_each(|user| *user = UserState { installed: true, ..UserState::default() });
                let users: Vec<u32> = package.users.keys().copied().collect();
                users.into_iter().for_each(|user| package.forget(user));
                self.packages.insert(id, package);
            }
        }
    }

    /// Whether a package lies there so that Android takes it: whole, root's, readable for all, and labelled as the system's.
    fn lies_right(&self, package: &InstalledPackage, folder: &str) -> bool {
        let right = |path: &str, kind: NodeKind, mode: u32| self.nodes.get(path) == Some(&Node::new(kind, mode));
        let apk = package.apk();
        let whole = || {
            let plan = self.scenario.apk_plan(&package.data);
            let first = Contents::apk(plan);
            let now = self.files.get(&apk).map(|file| &file.data);
            match now {
                // Nobody has touched it.
                Some(Contents::Apk(_)) => true,
                Some(now) => now.read(0, usize::MAX) == first.read(0, usize::MAX),
                None => false,
            }
        };
        right(folder, NodeKind::Folder, 0o755) && right(&apk, NodeKind::File, 0o644) && whole()
    }
}
