//! Reading sizes, memory and use.

use wibbet_core::package::{Inventory, Metrics, Source};
use wibbet_core::read::{MeasureReader, ProcessOwners, measure_requests, sizes_request, sizing_request};

use crate::device::{AdbDevice, AskError, Device as _};

/// Reads how large packages and their data are, as the device last worked it out.
///
/// # Errors
/// When the device cannot be asked.
pub async fn read_sizes(device: &AdbDevice) -> Result<Metrics, AskError> {
    let mut reader = MeasureReader::default();
    device.ask(&sizes_request(&device.capabilities()), &mut |piece| reader.feed(piece)).await?;
    Ok(reader.end_answer())
}

/// Reads sizes, memory and use. What the device does not tell is in the gaps.
///
/// # Errors
/// When the link goes.
pub async fn read_metrics(
    device: &AdbDevice,
    inventory: &Inventory,
    news: &mut (dyn FnMut(&Metrics) + Send),
) -> Result<Metrics, AskError> {
    let mut reader = MeasureReader::new(ProcessOwners::of(inventory));
    let mut all = Metrics::default();
    for request in measure_requests(&device.capabilities()) {
        match device.ask(&request, &mut |piece| reader.feed(piece)).await {
            Ok(_) => {}
            Err(error @ (AskError::NoLink(_) | AskError::Lost(_))) => return Err(error),
            // A service that says nothing for too long: what it was asked for is a gap.
            Err(_) => {}
        }
        all = reader.end_answer();
        news(&all);
    }
    Ok(all)
}

/// How often the device is asked whether it has worked sizes out, and after how many times it is left.
const AGAIN: (std::time::Duration, u32) = (std::time::Duration::from_secs(2), 45);

/// Has the device work out how large packages are, and waits until it tells. What it says where it does not.
///
/// # Errors
/// When the device cannot be asked.
pub async fn work_out_sizes(device: &AdbDevice) -> Result<Result<Metrics, String>, AskError> {
    let Some(request) = sizing_request(&device.capabilities()) else {
        return Ok(Err("this Android does not work them out".into()));
    };
    let said = device.ask(&request, &mut |_| {}).await?;
    if said.code.is_some_and(|code| code != 0) {
        return Ok(Err(format!("the device says: {}", wibbet_types::PlainText::short(&said.text()))));
    }
    for _ in 0..AGAIN.1 {
        tokio::time::sleep(AGAIN.0).await;
        let metrics = read_sizes(device).await?;
        if metrics.tells(Source::Sizes) {
            return Ok(Ok(metrics));
        }
    }
    Ok(Err("the device has not done it within a minute and a half".into()))
}
