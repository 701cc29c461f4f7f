//! What has crashed or not answered, by the device's log of events: `am_crash` (user, process id, process, flags, exception, message,
//! file, line) and `am_anr` (user, process id, package, flags, reason). Source: `EventLogTags.logtags` of the activity manager, 5 to
//! 16. Native crashes are there too, with "Native crash" for the exception.

use wibbet_types::{PlainText, UserId, shell_quoted};

use crate::ask::Request;
use crate::device::{AppFailure, FailureKind};

/// Failures of one answer that are kept.
const MOST: usize = 500;

/// So many characters are kept of why an app failed.
const MOST_WHY: usize = 400;

/// The device's clock, as its log goes by it: only what comes later is asked for then.
pub fn log_time_request() -> Request {
    Request::shell("date '+%m-%d %H:%M:%S.000'")
}

/// Reads the answer to [`log_time_request`]; `None` where it is no such time.
pub fn read_log_time(text: &str) -> Option<String> {
    let text = text.trim();
    let digit = |c: char| c.is_ascii_digit();
    let form = "dd-dd dd:dd:dd.ddd";
    let fits = text.len() == form.len()
        && text.chars().zip(form.chars()).all(|(c, f)| if f == 'd' { digit(c) } else { c == f });
    fits.then(|| text.to_owned())
}

/// Asks for what has failed since a time that the device's clock told, or as far back as its log goes.
pub fn failures_request(since: Option<&str>) -> Request {
    let since = since.map_or_else(String::new, |since| format!(" -T {}", shell_quoted(since)));
    Request::shell(format!("logcat -b events -d -v brief{since} am_crash:I am_anr:I '*:S'"))
}

/// Reads the answer to [`failures_request`], in the order in which it happened.
pub fn read_failures(text: &str) -> Vec<AppFailure> {
    text.lines().filter_map(failure).take(MOST).collect()
}

fn failure(line: &str) -> Option<AppFailure> {
    let (tag, rest) = line.split_once('(')?;
    let kind = match tag.trim().rsplit('/').next()? {
        "am_crash" => FailureKind::Crash,
        "am_anr" => FailureKind::NotResponding,
        _ => return None,
    };
    let (_, fields) = rest.split_once("): [")?;
    let fields = fields.trim_end().strip_suffix(']').unwrap_or(fields);
    let mut parts = fields.splitn(5, ',');
    let user: UserId = parts.next()?.trim().parse().ok()?;
    let (_pid, process, _flags, why) = (parts.next()?, parts.next()?.trim(), parts.next()?, parts.next().unwrap_or(""));
    // File and line of a crash tell nothing to whoever has no source.
    let why = match kind {
        FailureKind::Crash => {
            let (why, line) = why.rsplit_once(',').unwrap_or((why, ""));
            let is_line = !line.is_empty() && line.trim_start_matches('-').bytes().all(|b| b.is_ascii_digit());
            match why.rsplit_once(',') {
                Some((why, _file)) if is_line => why,
                _ => why,
            }
        }
        FailureKind::NotResponding => why,
    };
    if process.is_empty() {
        return None;
    }
    let package = process.split(':').next().and_then(|id| id.parse().ok());
    let why = why.replacen(',', ": ", 1);
    let why = PlainText::new(&why[..why.floor_char_boundary(MOST_WHY)]);
    Some(AppFailure { user, process: PlainText::new(process), package, kind, why })
}

#[cfg(test)]
mod tests {
    use super::*;

    const LOG: &str = "--------- beginning of events\n\
I/am_crash( 1234): [0,4711,com.a.weather,545832517,java.lang.IllegalArgumentException,Unknown URL content://com.a.forecasts/now, gone,ContentResolver.java,1935]\n\
I/am_anr  ( 1234): [10,22,com.b.mail:sync,952680005,Input dispatching timed out (com.b.mail/.Main, is not responding)]\n\
I/am_crash( 1234): [0,99,media.codec,0,Native crash,Segmentation fault,unknown,0]\n\
I/am_proc_start( 1234): [0,1,10055,com.c,broadcast,com.c/.R]\n\
I/am_crash( 1234): [x,1,com.c,0,a,b,c,1]\nI/am_crash( 1234): [0,1\n";

    #[test]
    fn failures_of_the_log() {
        let found = read_failures(LOG);
        let told: Vec<String> =
            found.iter().map(|f| format!("{} {} {} | {}", f.user, f.process, f.kind.words(), f.why)).collect();
        assert_eq!(
            told,
            [
                "0 com.a.weather crashed | java.lang.IllegalArgumentException: Unknown URL content://com.a.forecasts/now, gone",
                "10 com.b.mail:sync did not respond | Input dispatching timed out (com.b.mail/.Main:  is not responding)",
                "0 media.codec crashed | Native crash: Segmentation fault",
            ]
        );
        assert_eq!(found[1].package.as_ref().map(|id| id.as_str()), Some("com.b.mail"));
        assert!(found[0].is_like(&found[0]) && !found[0].is_like(&found[1]));
    }

    #[test]
    fn the_words_that_go_to_the_device() {
        assert_eq!(
            failures_request(Some("11-27 09:00:00.000")).command(),
            "logcat -b events -d -v brief -T '11-27 09:00:00.000' am_crash:I am_anr:I '*:S'"
        );
        assert_eq!(read_log_time("11-27 09:00:00.000\n").as_deref(), Some("11-27 09:00:00.000"));
        for odd in ["", "11-27", "x1-27 09:00:00.000", "11-27 09:00:00.000'; rm", "١١-27 09:00:00.00"] {
            assert_eq!(read_log_time(odd), None, "{odd}");
        }
    }

    proptest::proptest! {
        #[test]
        fn any_text_is_read(text in proptest::prelude::any::<String>()) {
            read_failures(&text);
            read_failures(&format!("I/am_crash( 1): [{text}]"));
        }
    }
}
