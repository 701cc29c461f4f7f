//! What people have given packages, and giving it again.

use wibbet_core::package::{Given, Returned};
use wibbet_core::read::{self, Choices, DumpReader};
use wibbet_types::{PackageId, PlainText, UserId};

use crate::device::{AskError, Device};

/// What is chosen among the apps of a device, for some users. Nothing on versions that do not tell.
///
/// # Errors
/// When the device cannot be asked.
pub(crate) async fn choices<D: Device>(device: &D, users: &[UserId]) -> Result<Choices, AskError> {
    let Some(request) = read::given_request(&device.capabilities(), users) else { return Ok(Choices::default()) };
    match device.ask(&request, &mut |_| {}).await {
        Ok(said) => Ok(read::read_choices(&said.out)),
        Err(AskError::Silent(_) | AskError::Broken(_) | AskError::Refused(_)) => Ok(Choices::default()),
        Err(error) => Err(error),
    }
}

/// What a package has of what people had given it.
async fn has<D: Device>(device: &D, id: &PackageId, user: UserId, of: &[Given]) -> Result<Vec<Given>, AskError> {
    let is_permission = |given: &Given| matches!(given, Given::Permission(_));
    let mut has = Vec::new();
    if of.iter().any(is_permission) {
        let mut reader = DumpReader::default();
        device.ask(&read::read_back_request(&device.capabilities(), id), &mut |piece| reader.feed(piece)).await?;
        let mut dump = reader.finish();
        let mut about = dump.packages.remove(id).map(|package| package.about).unwrap_or_default();
        if about.shared_user.is_some() {
            let said = device.ask(&read::shared_users_request(&device.capabilities()), &mut |_| {}).await?;
            read::read_shared_users(&said.out).tell(&mut about);
        }
        let granted = about.granted_to.remove(&user).unwrap_or_default();
        has.extend(granted.iter().map(|name| Given::Permission(name.to_string())));
    }
    if !of.iter().all(is_permission) {
        has.extend(choices(device, &[user]).await?.of(id, user).cloned());
    }
    Ok(has)
}

/// Gives a package again what people had given it and it has not got, and reads that back.
///
/// # Errors
/// When the link goes, or the device is another one. What was sent until then does no harm when it is sent again.
pub(crate) async fn give_back<D: Device>(
    device: &D,
    id: &PackageId,
    user: UserId,
    wanted: &[Given],
) -> Result<Vec<Returned>, AskError> {
    let capabilities = device.capabilities();
    let before = has(device, id, user, wanted).await?;
    let mut said = Vec::new();
    for given in wanted {
        let missing = !before.contains(given);
        let request = given.request(id, user, &capabilities).filter(|_| missing);
        said.push(match request {
            None if missing => "to be done by hand in the settings".to_owned(),
            None => String::new(),
            Some(request) => match device.ask(&request, &mut |_| {}).await {
                Ok(answer) => first_words(&answer.text()),
                Err(AskError::Silent(why) | AskError::Broken(why) | AskError::Refused(why)) => why,
                Err(error) => return Err(error),
            },
        });
    }
    let after = has(device, id, user, wanted).await?;
    let returned = wanted.iter().zip(said).map(|(given, said)| {
        let done = after.contains(given);
        let why = match (done, said.as_str()) {
            (true, _) => String::new(),
            (false, "") => "the device took it and has not kept it".to_owned(),
            (false, said) => said.to_owned(),
        };
        Returned { what: given.clone(), done, why }
    });
    Ok(returned.collect())
}

/// The line of an answer that says most, made harmless.
fn first_words(answer: &str) -> String {
    let mut lines = answer.lines().map(str::trim).filter(|line| !line.is_empty());
    let line = lines.clone().find(|line| line.starts_with("java.lang.")).or_else(|| lines.next()).unwrap_or("");
    PlainText::new(line).as_str().chars().take(200).collect()
}
