//! Opening something on the device.

use wibbet_core::ask::{Call, Request};
use wibbet_types::{PackageId, UserId, shell_quoted};

use crate::device::{AdbDevice, AskError, Device as _};

/// Something to be opened on the device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Opening {
    /// The package.
    pub id: PackageId,
    /// For whom.
    pub user: UserId,
    /// The class of its screen; `None` for the page of the settings that tells about the app.
    pub class: Option<String>,
}

impl Opening {
    /// What is asked.
    pub fn request(&self) -> Request {
        let (id, user) = (&self.id, self.user);
        let command = match &self.class {
            Some(class) => format!(
                "am start --user {user} -a android.intent.action.MAIN -c android.intent.category.LAUNCHER -n {}",
                shell_quoted(&format!("{id}/{class}"))
            ),
            None => format!("am start --user {user} -a android.settings.APPLICATION_DETAILS_SETTINGS -d package:{id}"),
        };
        Request::shell(command)
    }

    /// The words that go to the device.
    pub fn words(&self) -> String {
        match self.request().call {
            Call::Shell(command) => command,
            Call::Package(words) => words.join(" "),
        }
    }
}

/// Opens something on the device. What the device says, where that is no success.
///
/// # Errors
/// When it cannot be asked.
pub async fn open_on_device(device: &AdbDevice, opening: &Opening) -> Result<Option<String>, AskError> {
    let said = device.ask(&opening.request(), &mut |_| {}).await?;
    let text = said.text();
    let trouble = text.lines().find(|l| l.contains("Error") || l.contains("Exception") || l.contains("not found"));
    Ok(trouble.map(|line| wibbet_types::PlainText::new(line.trim()).into_string()))
}
