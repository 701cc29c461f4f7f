//! Calling a service and collecting what it says.

use wibbet_types::PlainText;

use crate::budget::CallBudget;
use crate::error::CallError;
use crate::link::{Link, Stream};
use crate::shell::{OldShellReader, ShellDecoder, ShellId, encode_shell};
use crate::timeouts::Timeouts;

/// A service that is called with words and answers with text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Service {
    /// A shell command with separate error output and exit code.
    ShellV2(String),
    /// A shell command through the terminal of old devices.
    OldShell(String),
    /// A shell command whose output comes raw and without an exit code.
    Exec(String),
    /// A call of a system service without a shell, framed as [`Service::ShellV2`].
    Abb(Vec<String>),
    /// A call of a system service without a shell, raw and without an exit code.
    AbbExec(Vec<String>),
}

impl Service {
    /// The name as it is opened.
    pub fn wire_name(&self) -> String {
        match self {
            Self::ShellV2(command) => format!("shell,v2,raw:{command}"),
            Self::OldShell(command) => format!("shell:{}", OldShellReader::dress(command)),
            Self::Exec(command) => format!("exec:{command}"),
            Self::Abb(words) => format!("abb:{}", words.join("\0")),
            Self::AbbExec(words) => format!("abb_exec:{}", words.join("\0")),
        }
    }
}

/// Where a piece of an answer comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Channel {
    /// Output, and error output where the service does not keep them apart.
    Out,
    /// Error output.
    Err,
}

/// Takes an answer as it comes, so that a long one is never held.
pub trait Sink: Send {
    /// Takes the next piece.
    fn piece(&mut self, channel: Channel, data: &[u8]);
}

impl<F: FnMut(Channel, &[u8]) + Send> Sink for F {
    fn piece(&mut self, channel: Channel, data: &[u8]) {
        self(channel, data);
    }
}

/// A sink that keeps the first mebibyte of each channel, which is far more than any answer that
/// is kept whole.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Collected {
    /// Output.
    pub out: Vec<u8>,
    /// Error output.
    pub err: Vec<u8>,
}

impl Collected {
    const MOST: usize = 1024 * 1024;
}

impl Sink for Collected {
    fn piece(&mut self, channel: Channel, data: &[u8]) {
        let kept = match channel {
            Channel::Out => &mut self.out,
            Channel::Err => &mut self.err,
        };
        let room = Self::MOST.saturating_sub(kept.len());
        kept.extend_from_slice(&data[..data.len().min(room)]);
    }
}

impl Link {
    /// Calls a service and passes its answer to `sink`. The exit code where the service has one.
    ///
    /// # Errors
    /// [`CallError::CutShort`] when a service that ends with an exit code ended without.
    pub async fn call(
        &self,
        service: &Service,
        limits: &Timeouts,
        sink: &mut dyn Sink,
    ) -> Result<Option<u8>, CallError> {
        let stream = self.open(&service.wire_name(), limits.idle).await?;
        self.answer_of(service, stream, limits, sink).await
    }

    async fn answer_of(
        &self,
        service: &Service,
        mut stream: Stream,
        limits: &Timeouts,
        sink: &mut dyn Sink,
    ) -> Result<Option<u8>, CallError> {
        let name = shown_name(service);
        let cut_short = || CallError::CutShort { service: name.clone() };
        let mut budget = CallBudget::new(limits.idle);
        let named = |error| match error {
            CallError::Silent { waited, .. } => CallError::Silent { service: name.clone(), waited },
            CallError::Endless { limit, .. } => CallError::Endless { service: name.clone(), limit },
            other => other,
        };
        match service {
            Service::ShellV2(_) | Service::Abb(_) => {
                let mut decoder = ShellDecoder::default();
                let mut code = None;
                while let Some(piece) = budget.read(&mut stream).await.map_err(named)? {
                    decoder.feed(&piece, &mut |id, data| match id {
                        ShellId::Out => sink.piece(Channel::Out, data),
                        ShellId::Err => sink.piece(Channel::Err, data),
                        ShellId::Exit => code = data.first().copied().or(code),
                        _ => {}
                    });
                }
                if code.is_none() {
                    self.believe_end(false).await?;
                }
                code.map(Some).ok_or_else(cut_short)
            }
            Service::OldShell(_) => {
                let mut reader = OldShellReader::default();
                while let Some(piece) = budget.read(&mut stream).await.map_err(named)? {
                    reader.feed(&piece, &mut |data| sink.piece(Channel::Out, data));
                }
                let code = reader.finish(&mut |data| sink.piece(Channel::Out, data));
                if code.is_none() {
                    self.believe_end(false).await?;
                }
                code.map(Some).ok_or_else(cut_short)
            }
            Service::Exec(_) | Service::AbbExec(_) => {
                // Nothing in what came shows whether it is whole, but that answers in text end with a line.
                let mut whole = matches!(service, Service::Exec(_));
                while let Some(piece) = budget.read(&mut stream).await.map_err(named)? {
                    whole = matches!(service, Service::Exec(_)) || piece.ends_with(b"\n");
                    sink.piece(Channel::Out, &piece);
                }
                self.believe_end(whole).await?;
                Ok(None)
            }
        }
    }
}

impl Link {
    /// Calls a service that reads what `next` gives until that gives nothing, and says something then: see [`Link::call`]. Services
    /// without frames have to know by themselves when they have all of it.
    ///
    /// # Errors
    /// Those of [`Link::call`]; [`CallError::Input`] when `next` fails, with nothing more written.
    pub async fn call_with_input(
        &self,
        service: &Service,
        limits: &Timeouts,
        next: &mut (dyn FnMut() -> std::io::Result<Vec<u8>> + Send),
        sink: &mut dyn Sink,
    ) -> Result<Option<u8>, CallError> {
        const PIECE: usize = 64 * 1024;
        let mut stream = self.open(&service.wire_name(), limits.idle).await?;
        let framed = matches!(service, Service::ShellV2(_) | Service::Abb(_));
        'input: loop {
            let data = next().map_err(|error| CallError::Input { why: error.to_string() })?;
            for piece in data.chunks(PIECE) {
                let bytes = if framed { encode_shell(ShellId::In, piece) } else { piece.to_vec() };
                match stream.write(&bytes, limits.idle).await {
                    Ok(()) => {}
                    // It has ended with the rest unread: what it said tells why.
                    Err(CallError::CutShort { .. }) => break 'input,
                    Err(error) => return Err(error),
                }
            }
            if data.is_empty() {
                break;
            }
        }
        if framed {
            // One that knew how much there would be may have ended already.
            match stream.write(&encode_shell(ShellId::CloseIn, &[]), limits.idle).await {
                Ok(()) | Err(CallError::CutShort { .. }) => {}
                Err(error) => return Err(error),
            }
        }
        self.answer_of(service, stream, limits, sink).await
    }
}

/// The service's words as people read them, without what is added for the wire.
fn shown_name(service: &Service) -> PlainText {
    PlainText::short(&match service {
        Service::ShellV2(command) | Service::OldShell(command) | Service::Exec(command) => command.clone(),
        Service::Abb(words) | Service::AbbExec(words) => words.join(" "),
    })
}
