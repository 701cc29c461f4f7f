//! Asking a device who is engaged in what, as far as that shows what ties its packages.

use wibbet_core::ask::Request;
use wibbet_core::package::{AppNames, Condition, Inventory, Ties};
use wibbet_core::read;
use wibbet_types::UserId;

use crate::device::{AskError, Device};

/// Who is engaged in what, for some users, and who uses whom at the moment: a command each. What the device does not tell is missing in it.
///
/// # Errors
/// When the link goes, or the device is another one.
pub async fn read_ties<D: Device>(device: &D, users: &[UserId]) -> Result<Ties, AskError> {
    let capabilities = device.capabilities();
    let said = told(device, &read::ties_request(&capabilities, users)).await?;
    let mut ties = read::read_ties(&said, &capabilities, users);
    ties.bindings = read::read_bindings(&told(device, &read::bindings_request(&capabilities)).await?);
    Ok(ties)
}

/// What a device says; nothing where it does not answer.
async fn told<D: Device>(device: &D, request: &Request) -> Result<String, AskError> {
    match device.ask(request, &mut |_| {}).await {
        Ok(said) => Ok(said.out),
        Err(AskError::Silent(_) | AskError::Broken(_) | AskError::Refused(_)) => Ok(String::new()),
        Err(error) => Err(error),
    }
}

/// Has the package service say who answers what Android needs, for some users, where manifests of packages in use could not be read:
/// one command a user, and none where all were read.
///
/// # Errors
/// When the link goes, or the device is another one.
pub async fn fill_in_answers<D: Device>(
    device: &D,
    ties: &mut Ties,
    inventory: &Inventory,
    names: &AppNames,
    users: &[UserId],
) -> Result<(), AskError> {
    let capabilities = device.capabilities();
    for user in users {
        let silent = inventory.packages.values().any(|package| {
            let told = names.apps.get(&package.id).is_some_and(|app| app.declared.read);
            package.apk.is_some() && !told && package.condition(*user) == Condition::InUse
        });
        let Some(request) = read::answers_request(&capabilities, *user).filter(|_| silent) else { continue };
        let said = told(device, &request).await?;
        ties.answers.insert(*user, read::read_answers_to_needs(&said, &capabilities));
    }
    Ok(())
}
