//! What is typed in practice: examples that stand behind the help of each command, and in its man page.

use clap::{Command, CommandFactory as _};

use super::args::Arguments;

/// For each command, and each command below one, what it is called with. DEVICE is an id, a serial, or HOST:PORT.
const EXAMPLES: [(&str, &[&str]); 48] = [
    ("demo", &["wibbet demo"]),
    ("here", &["wibbet here", "wibbet here --find"]),
    ("sim", &["wibbet sim --device crew-phone", "wibbet sim --android 22 --fault cut=from:300 --transcript asked.txt"]),
    ("score", &["wibbet score --device crew-phone"]),
    ("bench", &["wibbet bench", "wibbet bench --watch --json"]),
    ("link", &["wibbet link 192.168.0.7:5555"]),
    ("pair", &["wibbet pair 192.168.0.7:37123 --code 123456", "wibbet pair --qr"]),
    ("close", &["wibbet close DEVICE --yes", "wibbet close DEVICE --hand-over-copies owner --forget"]),
    ("restart", &["wibbet restart DEVICE --yes --wait"]),
    ("picture", &["wibbet picture DEVICE screen.png"]),
    ("logbook check", &["wibbet logbook check"]),
    ("logbook backup", &["wibbet logbook backup bench-2026-11.sqlite"]),
    ("logbook merge", &["wibbet logbook merge other-bench.sqlite"]),
    ("logbook export", &["wibbet logbook export DEVICE --without serial,usage", "wibbet logbook export --csv"]),
    ("logbook tidy", &["wibbet logbook tidy --dry-run", "wibbet logbook tidy --unseen-days 365 --yes"]),
    ("logbook erase", &["wibbet logbook erase DEVICE --yes"]),
    (
        "order make",
        &["wibbet order make DEVICE --run 7 --to crew.toml", "wibbet order make --from ids.txt --to crew.toml"],
    ),
    ("order check", &["wibbet order check crew.toml", "wibbet order check crew.toml DEVICE DEVICE"]),
    ("order apply", &["wibbet order apply crew.toml DEVICE DEVICE --yes", "wibbet order apply crew.toml --line --yes"]),
    ("order record", &["wibbet order record", "wibbet order record Crew --pdf crew.pdf"]),
    ("order schema", &["wibbet order schema"]),
    ("sheet", &["wibbet sheet 7 --pdf sheet.pdf", "wibbet sheet DEVICE --without serial,usage --paper letter"]),
    ("doctor", &["wibbet doctor"]),
    ("completions", &["wibbet completions bash"]),
    ("man", &["wibbet man man"]),
    ("usb-rule", &["wibbet usb-rule"]),
    ("packages", &["wibbet packages DEVICE", "wibbet packages DEVICE --search idle>90d --csv"]),
    ("why", &["wibbet why DEVICE com.android.phone --user 0"]),
    ("upshot", &["wibbet upshot DEVICE --user 0 --uninstall com.android.email --disable com.android.music"]),
    ("run", &["wibbet run DEVICE --user 0 --uninstall com.android.email --disable com.android.music --dry-run"]),
    ("shelf", &["wibbet shelf DEVICE --user 0"]),
    ("settings", &["wibbet settings DEVICE", "wibbet settings DEVICE --put-back --yes"]),
    ("put-back", &["wibbet put-back DEVICE com.android.email --user 0", "wibbet put-back DEVICE --run 7 --yes"]),
    ("install", &["wibbet install DEVICE keyboard.apk --user 0"]),
    ("part", &["wibbet part DEVICE com.android.music .Offers --user 0 --set off --root"]),
    ("pull", &["wibbet pull DEVICE /sdcard/Download/list.txt"]),
    ("push", &["wibbet push DEVICE list.txt /sdcard/Download/"]),
    ("catch", &["wibbet catch DEVICE --yes", "wibbet catch --next"]),
    ("find-fault", &["wibbet find-fault DEVICE --run 7 --what no-sound", "wibbet find-fault DEVICE --seen still"]),
    ("changes", &["wibbet changes DEVICE", "wibbet changes DEVICE --since run-7"]),
    ("update-break", &["wibbet update-break DEVICE --begin --yes", "wibbet update-break DEVICE --end --yes"]),
    ("carry-on", &["wibbet carry-on DEVICE --yes"]),
    ("copies", &["wibbet copies", "wibbet copies --offer 3"]),
    ("life", &["wibbet life DEVICE --pdf life.pdf"]),
    ("config", &["wibbet config", "wibbet config --write"]),
    ("runs", &["wibbet runs --search P-77"]),
    ("logbook", &["wibbet logbook check"]),
    ("order", &["wibbet order check crew.toml DEVICE"]),
];

/// All that can be typed, with examples.
pub(crate) fn command() -> Command {
    let mut all = Arguments::command();
    for (path, examples) in EXAMPLES {
        let words = format!("Examples:\n  {}", examples.join("\n  "));
        all = match path.split_once(' ') {
            None => all.mut_subcommand(path, |command| command.after_help(words)),
            Some((above, below)) => {
                all.mut_subcommand(above, |command| command.mut_subcommand(below, |command| command.after_help(words)))
            }
        };
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Every command has examples, and each can be typed so.
    #[test]
    fn every_command_has_examples_that_can_be_typed() {
        let all = command();
        let below = |command: &Command| -> Vec<String> {
            let own = command.get_name();
            command.get_subcommands().map(|sub| format!("{own} {}", sub.get_name())).collect()
        };
        let mut paths: Vec<String> = all.get_subcommands().map(|sub| sub.get_name().to_owned()).collect();
        paths.extend(all.get_subcommands().flat_map(below));
        let known: Vec<&str> = EXAMPLES.iter().map(|(path, _)| *path).collect();
        for path in paths {
            assert!(known.contains(&path.as_str()), "{path} has no examples");
        }
        for example in EXAMPLES.iter().flat_map(|(_, examples)| *examples) {
            let typed = command().try_get_matches_from(example.split(' '));
            assert!(typed.is_ok(), "{example}: {}", typed.unwrap_err());
        }
        let help = command().find_subcommand_mut("run").map(|run| run.render_help().to_string());
        assert!(help.is_some_and(|help| help.contains("Examples:\n  wibbet run DEVICE")));
    }
}
