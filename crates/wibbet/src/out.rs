//! Standard output and standard error.

use std::io::Write as _;

/// Writes a line. A reader that has gone away (`wibbet packages … | head`) is no reason to fail:
/// what was done to a device stays done, and the exit code tells of that.
pub(crate) fn line(text: impl std::fmt::Display) {
    let mut out = std::io::stdout().lock();
    let _ = writeln!(out, "{text}").and_then(|()| out.flush());
}

/// Tells people something on standard error. A terminal that has gone away is no reason to fail.
pub(crate) fn tell(text: impl std::fmt::Display) {
    let _ = writeln!(std::io::stderr().lock(), "wibbet: {text}");
}
