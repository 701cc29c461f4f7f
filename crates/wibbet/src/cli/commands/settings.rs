//! `wibbet settings`: what orders have set on a device, and putting it back.

use wibbet_bench::ops::claim;
use wibbet_bench::run::{SettingBack, put_settings_back, settings_of};
use wibbet_core::run::{SettingChange, settings_to_put_back, value_words};
use wibbet_types::counted;

use super::asking::{asked, may_change};
use crate::cli::options::Sending;
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, tell};

/// Tells what was set; puts it back where that is wanted.
pub(crate) async fn settings(finder: &Finder<'_>, name: &str, put_back: bool, how: Sending) -> Result<Exit, Failure> {
    if put_back {
        may_change(how.into())?;
    }
    let device = finder.link(name).await?;
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    let all = {
        let _claims = claim(finder.workplace, &device)?;
        settings_of(&finder.workplace.book, &device, &facts.id).await?
    };
    let goals = settings_to_put_back(&all);
    if !put_back || how.dry_run {
        match how.json {
            true => json::print(&json::DeviceSettings::of(&facts.id, &all, None)),
            false if put_back => goals.iter().rev().for_each(|goal| {
                line(goal.setting.put(goal.user, goal.to.as_deref()).command());
            }),
            false => all.iter().for_each(show),
        }
        return Ok(if all.is_empty() || put_back && goals.is_empty() { Exit::Nothing } else { Exit::Done });
    }
    if !how.yes {
        for goal in goals.iter().rev() {
            let (from, to) = (value_words(goal.from.as_deref()), value_words(goal.to.as_deref()));
            line(format_args!("{} of user {}: {from} → {to}", goal.setting, goal.user));
        }
    }
    let question = format!("Put {} back on {}?", counted(goals.len(), "setting", "settings"), facts.name());
    if goals.is_empty() || !(how.yes || asked(&question)) {
        return Err(Failure::new(Exit::Nothing, "nothing was sent"));
    }
    let back = put_settings_back(finder.workplace, &device).await?;
    if how.json {
        let all = settings_of(&finder.workplace.book, &device, &facts.id).await?;
        json::print(&json::DeviceSettings::of(&facts.id, &all, Some(&back)));
    } else {
        back.iter().for_each(show_back);
    }
    Ok(match back.iter().filter(|one| one.done).count() {
        0 => Exit::Nothing,
        done if done == back.len() => Exit::Done,
        _ => Exit::Partly,
    })
}

fn show(change: &SettingChange) {
    let what = match (change.undoes, change.back) {
        (true, _) => "put back",
        (false, Some(_)) => "set, back",
        (false, None) => change.state.words(),
    };
    let by = if change.order.is_empty() { String::new() } else { format!("  by {}", change.order) };
    line(format_args!("{what:<20} user {:<4} {}{by}", change.user.to_string(), change.words()));
    if !change.remark.is_empty() {
        tell(format_args!("  {}", change.remark));
    }
}

fn show_back(one: &SettingBack) {
    let to = value_words(one.goal.to.as_deref());
    match one.done {
        true => line(format_args!("put back  user {:<4} {}: {to}", one.goal.user.to_string(), one.goal.setting)),
        false => {
            line(format_args!("stays     user {:<4} {}: {}", one.goal.user.to_string(), one.goal.setting, one.why))
        }
    }
}
