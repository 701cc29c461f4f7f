//! What is done to a device by hand: a picture of its screen, one command of the shell.

use wibbet_core::ask::Request;
use wibbet_types::PlainText;

use crate::device::{AdbDevice, AskError, Device as _};

/// The most bytes of a picture: a large screen in full colour takes some 15 MB.
const MOST_PICTURE: usize = 64 << 20;

/// The most bytes of a command's answer that are kept.
const MOST_ANSWER: usize = 64 << 10;

/// What every PNG begins with. Source: ISO/IEC 15948.
const PNG: &[u8] = b"\x89PNG\r\n\x1a\n";

/// What every PNG ends with: the chunk `IEND`, which is empty, with its sum.
const PNG_END: &[u8] = b"IEND\xae\x42\x60\x82";

/// Takes a picture of what is on the device's screen, as PNG. `Ok(Err(…))` is what the device says in its place.
///
/// # Errors
/// When the device cannot be asked.
pub async fn picture(device: &AdbDevice) -> Result<Result<Vec<u8>, PlainText>, AskError> {
    let mut bytes = Vec::new();
    let mut take = |piece: &[u8]| {
        let room = MOST_PICTURE.saturating_sub(bytes.len());
        bytes.extend_from_slice(&piece[..piece.len().min(room)]);
    };
    device.raw("screencap -p", &mut take).await?;
    Ok(match bytes.starts_with(PNG) && bytes.ends_with(PNG_END) {
        true => Ok(bytes),
        false if bytes.is_empty() => Err(PlainText::new("nothing came")),
        false if bytes.starts_with(PNG) => Err(PlainText::new("the picture is not whole")),
        false => {
            let text = String::from_utf8_lossy(&bytes[..bytes.len().min(200)]).into_owned();
            Err(PlainText::new(text.trim()))
        }
    })
}

/// A command of the shell and what came of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HandCommand {
    /// As it was typed.
    pub command: String,
    /// Output and errors, as far as they are kept.
    pub answer: PlainText,
    /// The exit code, where there is one.
    pub code: Option<u8>,
}

/// Has the device's shell carry out a command as somebody typed it. It is sent once, whatever becomes of the answer.
///
/// # Errors
/// When the device cannot be asked, or does not answer: then it may have been done.
pub async fn hand_command(device: &AdbDevice, command: &str) -> Result<HandCommand, AskError> {
    let said = device.ask(&Request::change_by_shell(command.to_owned()), &mut |_| {}).await?;
    let text = said.text();
    let kept = &text[..text.floor_char_boundary(MOST_ANSWER)];
    Ok(HandCommand { command: command.to_owned(), answer: PlainText::new(kept), code: said.code })
}
