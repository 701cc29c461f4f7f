//! Reading sizes, memory and use.

use wibbet_core::package::{Inventory, Metrics};
use wibbet_core::read::{MeasureReader, ProcessOwners, measure_requests, sizes_request};

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
