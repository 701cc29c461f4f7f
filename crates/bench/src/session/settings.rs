//! What is done to the device itself for the link's sake: keeping it awake, and closing the link.

use std::time::Duration;

use tokio::time::{Instant, timeout};
use wibbet_core::ask::{DeviceSetting, RestartTo};
use wibbet_core::link::{CloseStep, Ladder};
use wibbet_types::DeviceId;

use super::actor::Actor;
use super::command::Closing;
use super::event::SessionEvent;
use crate::device::{Claimed, Device as _};
use crate::logbook::now;
use crate::ops::{COMES_BACK, CopiesGo, claim, let_copies_go, restart_device};
use crate::run::{put_settings_back, settings_of};

/// How long the link may take to go when debugging has been switched off.
const GOING: Duration = Duration::from_secs(10);

impl Actor {
    /// Sends a change to the device itself and reads it back.
    async fn set(&self, setting: DeviceSetting) -> Result<String, String> {
        self.device.ask(&setting.request(), &mut |_| {}).await.map_err(|e| e.to_string())?;
        let answer = self.device.ask(&setting.read_back(), &mut |_| {}).await.map_err(|e| e.to_string())?;
        Ok(answer.text().trim().to_owned())
    }

    pub(super) async fn stay_awake(&mut self, on: bool) {
        let done = match self.claimed() {
            Ok(_claims) if on => self.wake_up().await,
            Ok(_claims) => self.let_sleep().await,
            Err(why) => Err(why),
        };
        match done {
            Ok(now) => {
                self.details.vitals.stays_awake = now.parse().ok();
                self.tell(SessionEvent::Details(Box::new(self.details.clone())));
            }
            Err(why) => self.tell(SessionEvent::Note(format!("that could not be set on the device: {why}"))),
        }
    }

    /// Tells what orders have set on the device, and puts it back where that is wanted.
    pub(super) async fn settings(&mut self, put_back: bool) {
        let done = async {
            let facts = self.device.facts().ok_or("the device is not known yet")?;
            let back = match put_back {
                true => Some(put_settings_back(&self.workplace, &self.device).await.map_err(|why| why.to_string())?),
                false => None,
            };
            // What another program has on its way is its own to read back.
            let _claimed = self.claimed()?;
            let all =
                settings_of(&self.workplace.book, &*self.device, &facts.id).await.map_err(|why| why.to_string())?;
            Ok((all, back))
        };
        let done = done.await;
        self.tell(SessionEvent::Settings(done));
    }

    /// Restarts the device. It is waited for like any other that has gone, with other words.
    pub(super) async fn restart(&mut self, to: RestartTo) {
        self.tell(SessionEvent::Note("it writes down what was changed, and restarts then".into()));
        let done = match self.claimed() {
            Ok(_claims) => restart_device(&self.device, to).await.map_err(|error| error.to_string()),
            Err(why) => Err(why),
        };
        match done {
            Ok(()) if to == RestartTo::System => self.restarting = Some(Instant::now() + COMES_BACK),
            Ok(()) => self.tell(SessionEvent::Note(format!("It starts into {} and stays there.", to.words()))),
            Err(why) => self.tell(SessionEvent::Note(why)),
        }
    }

    /// Switches wireless debugging on. Where it is then announces itself.
    pub(super) async fn switch_on_wireless(&mut self) {
        let setting = DeviceSetting::WirelessDebuggingOn;
        let done = match self.claimed() {
            Ok(_claims) => self.set(setting).await,
            Err(why) => Err(why),
        };
        let note = match done {
            Ok(now) if now == "1" => {
                "Wireless debugging is on: the device announces itself, and is linked by air once this computer is paired."
                    .to_owned()
            }
            Ok(_) => "The device reads back that wireless debugging is off. It has to be on a network, and may ask on its \
                      screen whether that one is allowed: answer there, and try again."
                .to_owned(),
            Err(why) => format!("wireless debugging could not be switched on: {why}"),
        };
        self.tell(SessionEvent::Note(note));
    }

    /// The right to change the device, for every change that is no run.
    pub(super) fn claimed(&self) -> Result<Claimed<'_>, String> {
        let claimed = claim(&self.workplace, &self.device).map_err(|error| error.to_string())?;
        claimed.ok_or_else(|| "the device could not be written down in the logbook".into())
    }

    async fn wake_up(&self) -> Result<String, String> {
        let facts = self.device.facts().ok_or("the device is not known yet")?;
        let before = self.details.vitals.stays_awake.ok_or("it does not report whether it stays awake")?;
        let always = DeviceSetting::awake_always(&self.device.capabilities());
        if before != always {
            // What it was is on disk before it is changed.
            let kept = self.workplace.book.with(move |book| book.set_awake_before(&facts.id, Some(before))).await;
            kept.map_err(|e| e.to_string())?;
        }
        self.set(DeviceSetting::StayAwake(always)).await
    }

    async fn let_sleep(&self) -> Result<String, String> {
        let facts = self.device.facts().ok_or("the device is not known yet")?;
        let before = self.awake_before().await.unwrap_or(0);
        let now = self.set(DeviceSetting::StayAwake(before)).await?;
        let kept = self.workplace.book.with(move |book| book.set_awake_before(&facts.id, None)).await;
        kept.map_err(|e| e.to_string())?;
        Ok(now)
    }

    /// What `stay_on_while_plugged_in` was before it was changed from here.
    async fn awake_before(&self) -> Option<u32> {
        let id = self.device.facts()?.id;
        let known = self.workplace.book.with(|book| book.devices()).await.ok()?;
        known.into_iter().find(|d| d.facts.id == id)?.awake_before
    }

    /// Closes the link: what was changed for its sake is put back, debugging is switched off, and its going is seen.
    /// Under a run of another program nothing is done, and the link stays as it is.
    pub(super) async fn close(&mut self, closing: &Closing) -> bool {
        let Closing { switch_off, forget, copies } = closing;
        let (switch_off, forget) = (*switch_off, *forget);
        let mut steps = match self.undo_for_closing(switch_off).await {
            Ok(steps) => steps,
            Err(known) => {
                let what = if switch_off { "switch debugging off" } else { "let the device sleep again" };
                self.tell(SessionEvent::Closed(vec![CloseStep { what: what.into(), done: false, known }]));
                return false;
            }
        };
        if let Some(facts) = self.device.facts() {
            steps.extend(self.let_copies_go(&facts.id, copies).await);
        }
        if forget && let Some(facts) = self.device.facts() {
            let done = self.workplace.book.with(move |book| book.forget_device(&facts.id)).await;
            steps.push(CloseStep {
                what: "forget the device here".into(),
                done: done.is_ok(),
                known: done.map_or_else(|e| e.to_string(), |()| "its runs stay in the logbook".into()),
            });
        }
        if let Some(facts) = self.device.facts() {
            let kept = steps.clone();
            let noted = self.workplace.book.with(move |book| book.note_closing(&facts.id, &kept, now())).await;
            if let Err(error) = noted {
                self.tell(SessionEvent::Note(error.to_string()));
            }
        }
        self.reading.stop();
        self.following.stop();
        self.device.hang_up().await;
        self.closed = true;
        self.ladder = Ladder::default();
        self.tell_ladder();
        let all = steps.iter().all(|step| step.done);
        self.tell(SessionEvent::Closed(steps));
        all
    }

    async fn let_copies_go(&self, id: &DeviceId, how: &CopiesGo) -> Vec<CloseStep> {
        let claimed = match (how, self.claimed()) {
            (CopiesGo::Stay, _) => return Vec::new(),
            (_, Ok(claimed)) => claimed,
            (_, Err(known)) => return vec![CloseStep { what: "copies of apps".into(), done: false, known }],
        };
        let steps = let_copies_go(&self.workplace.book, id, how).await;
        drop(claimed);
        steps
    }

    /// Puts back on the device what was changed for the link's sake, and switches debugging off if that is wanted.
    async fn undo_for_closing(&self, switch_off: bool) -> Result<Vec<CloseStep>, String> {
        let mut steps = Vec::new();
        let awake_before = self.awake_before().await;
        if !switch_off && awake_before.is_none() {
            return Ok(steps);
        }
        let _claimed = self.claimed()?;
        if let Some(before) = awake_before {
            let done = self.let_sleep().await;
            steps.push(CloseStep {
                what: format!("stay-awake back to {before}"),
                done: done.as_deref() == Ok(before.to_string().as_str()),
                known: done.map_or_else(|e| e, |now| format!("read back: {now}")),
            });
        }
        if switch_off {
            steps.extend(self.switch_off().await);
        }
        Ok(steps)
    }

    /// Switches debugging off, the way that is in use last, and watches the link go.
    async fn switch_off(&self) -> Vec<CloseStep> {
        let encrypted = self.device.is_encrypted().await.unwrap_or(false);
        let mut settings = vec![DeviceSetting::UsbDebuggingOff];
        if self.device.capabilities().has_wireless_debugging() {
            settings.push(DeviceSetting::WirelessDebuggingOff);
        }
        if !encrypted {
            settings.reverse();
        }
        let mut steps = Vec::new();
        for (n, setting) in settings.iter().enumerate() {
            let last = n + 1 == settings.len();
            let sent = self.device.ask(&setting.request(), &mut |_| {}).await;
            let (done, known) = match (sent, last) {
                // The answer to the last one seldom comes: the link goes before it.
                (_, true) => match timeout(GOING, self.device.gone()).await {
                    Ok(_) => (true, "the link went with it".to_owned()),
                    Err(_) => (false, "the link is still there: switch it off on the device".to_owned()),
                },
                (Ok(_), false) => match self.device.ask(&setting.read_back(), &mut |_| {}).await {
                    Ok(answer) if setting.is_set(&answer) => (true, "read back: off".to_owned()),
                    _ => (false, "it could not be read back".to_owned()),
                },
                (Err(error), false) => (false, error.to_string()),
            };
            steps.push(CloseStep { what: setting.label().into(), done, known });
        }
        steps
    }
}
