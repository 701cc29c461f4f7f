//! Which front end a command line means; the only place that knows all of them.

use std::io::IsTerminal as _;
use std::sync::Arc;
use std::time::Duration;

use wibbet_bench::around::Surroundings;
use wibbet_bench::ops::CopiesGo;
use wibbet_bench::session::Closing;
use wibbet_core::plan::Terms;

use crate::cli::commands::{
    catch, change, changes, config, copies, files, find_fault, life, links, logbook, look, order, order_apply,
    order_line, order_record, packages, part, settings, sheet, shelf, update_break, why,
};
use crate::cli::{Arguments, Command, Finder, How, LogbookCommand, OrderCommand, Ordered};
use crate::config::{Config, KeepConfig};
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{be_quiet, complain, tell_each_word};
use crate::place::Folders;
use crate::system::{System, own_app};
use crate::tui::{self, Start};
use crate::{announced, doctor, papers, score, sim, start};

/// Does what was asked for.
pub(crate) async fn run(arguments: Arguments) -> Exit {
    let json = match &arguments.command {
        Some(
            Command::Bench { json, .. }
            | Command::Link { json, .. }
            | Command::Pair { json, .. }
            | Command::Close { json, .. }
            | Command::Shelf { json, .. }
            | Command::Restart { json, .. }
            | Command::Picture { json, .. }
            | Command::Catch { json, .. }
            | Command::FindFault { json, .. }
            | Command::Changes { json, .. }
            | Command::Doctor { json }
            | Command::Here { json, .. }
            | Command::Config { json, .. }
            | Command::Logbook {
                what:
                    LogbookCommand::Check { json }
                    | LogbookCommand::Erase { json, .. }
                    | LogbookCommand::Tidy { json, .. }
                    | LogbookCommand::Merge { json, .. }
                    | LogbookCommand::Export { json, .. },
            }
            | Command::Pull { json, .. }
            | Command::Push { json, .. }
            | Command::Part { json, .. }
            | Command::Copies { json, .. }
            | Command::Runs { json, .. },
        ) => *json,
        Some(Command::UpdateBreak { sending, .. } | Command::Settings { sending, .. }) => sending.json,
        Some(Command::Order { what }) => what.is_json(),
        Some(Command::Sheet { wanted }) => wanted.json,
        Some(Command::Life { wanted }) => wanted.json,
        Some(Command::Packages { wanted, .. }) => wanted.json,
        Some(Command::Why { wanted, .. }) => wanted.json,
        Some(Command::Upshot { tray, .. }) => tray.json,
        Some(
            Command::Run { how, .. }
            | Command::PutBack { how, .. }
            | Command::Install { how, .. }
            | Command::CarryOn { how, .. },
        ) => how.json,
        _ => false,
    };
    match done(arguments).await {
        Ok(exit) => exit,
        Err(failure) => {
            if json {
                json::print_failure(&failure);
            }
            complain(&failure.message);
            failure.exit
        }
    }
}

async fn done(arguments: Arguments) -> Result<Exit, Failure> {
    let Arguments { at, answer_within, allow_within, no_search, announcements, quiet, verbose, command } = arguments;
    if quiet {
        be_quiet();
    }
    if verbose {
        if matches!(command, None | Some(Command::Demo { .. })) && std::io::stderr().is_terminal() {
            let words = "the screen has no room for each command: send standard error to a file, as in `wibbet --verbose 2> words.log`";
            return Err(Failure::new(Exit::Usage, words));
        }
        tell_each_word();
    }
    if !at.is_empty() && matches!(command, Some(Command::Demo { .. } | Command::Sim(_) | Command::Score(_))) {
        return Err(Failure::new(
            Exit::Usage,
            "--at names a real device; demo, sim and score have devices of their own",
        ));
    }
    let command = match command {
        Some(Command::Demo { scenario }) => {
            let more = sim::read_scenarios(&scenario)?;
            return start::run(answer_within, more).await;
        }
        Some(Command::Sim(sim)) => return sim::run(sim, announcements).await,
        Some(Command::Score(wanted)) => return score::run(wanted).await,
        Some(Command::UsbRule) => return Ok(links::usb_rule()),
        Some(Command::Completions { shell }) => return Ok(papers::completions(shell)),
        Some(Command::Man { folder }) => return papers::man(&folder),
        Some(Command::Logbook { what }) => {
            let folders = Folders::find().map_err(Failure::trouble)?;
            // A configuration that cannot be read is in nobody's way who looks after the record.
            let keep = match what {
                LogbookCommand::Tidy { .. } => Config::read(&folders.configuration)?.keep,
                _ => KeepConfig::default(),
            };
            return logbook::logbook(&folders.data, &keep, what);
        }
        Some(Command::Order { what }) if what.is_about_files() => return about_orders(what),
        Some(Command::Sheet { wanted }) => {
            let folders = Folders::find().map_err(Failure::trouble)?;
            return sheet::sheet(&folders, &Config::read(&folders.configuration)?, &wanted);
        }
        Some(Command::Life { wanted }) => {
            let folders = Folders::find().map_err(Failure::trouble)?;
            return life::life(&folders.data, &Config::read(&folders.configuration)?, &wanted);
        }
        Some(Command::Order { what: OrderCommand::Record { wanted } }) => {
            let folders = Folders::find().map_err(Failure::trouble)?;
            return order_record::record(&folders.data, &wanted);
        }
        Some(Command::Config { write, json }) => {
            let folders = Folders::find().map_err(Failure::trouble)?;
            return config::config(&folders.configuration, write, json);
        }
        Some(Command::Here { find: true, json }) => return links::find_here(json).await,
        Some(Command::Doctor { json }) => {
            let surroundings = if no_search { Surroundings::default() } else { Surroundings::of_this_computer() };
            return doctor::doctor(&surroundings, json).await;
        }
        Some(Command::Runs { search, json }) => {
            let folders = Folders::find().map_err(Failure::trouble)?;
            return look::runs(&folders.data, search.as_deref(), json);
        }
        Some(Command::Copies { of, offer, withdraw, json }) => {
            let folders = Folders::find().map_err(Failure::trouble)?;
            return copies::copies(&folders.data, of.as_ref(), (&offer, &withdraw), json);
        }
        other => other,
    };
    let quick = matches!(command, Some(Command::Bench { watch: false, .. })).then_some(Duration::from_secs(5));
    let folders = Folders::find().map_err(Failure::trouble)?;
    let config = Config::read(&folders.configuration)?;
    let no_search = no_search || !config.link.search;
    let by_address_only = no_search && announcements.is_none();
    // A device that this runs on is one to work on, too.
    let on_itself = System::here() == System::Phone || matches!(command, Some(Command::Here { .. }));
    let ours = config.clone();
    let open = async move || {
        let answer_within = answer_within.unwrap_or(ours.answer_within());
        let allow_within = allow_within.or(quick).unwrap_or(ours.allow_within());
        let opened = tokio::task::spawn_blocking(move || folders.open(&ours, answer_within, allow_within));
        let mut workplace = opened.await??;
        let own = if on_itself { own_app() } else { None };
        workplace.surroundings = Arc::new(match announcements {
            Some(file) => Surroundings::simulated(None, Some(announced::read_from(file))),
            None if no_search => Surroundings::default().with_ground(own),
            None if on_itself => Surroundings::of_a_device(own),
            None => Surroundings::of_this_computer(),
        });
        anyhow::Ok(workplace)
    };
    let command = match command {
        None | Some(Command::Here { .. }) => {
            let prepare = async {
                let workplace = open().await?;
                Ok(Start { workplace, config, addresses: at, demo: None, apps: None, on_itself, passing: None })
            };
            return tui::run(false, prepare).await.map_err(Failure::trouble);
        }
        Some(command) => command,
    };
    let workplace = open().await.map_err(Failure::trouble)?;
    let finder = Finder { workplace: &workplace, at: &at, no_search: by_address_only };
    match command {
        Command::Bench { watch: true, json } => look::watch(&finder, json).await,
        Command::Bench { json, .. } => look::bench(&finder, json).await,
        Command::Link { device, json } => links::link(&finder, &device, json).await,
        Command::Pair { address, code, json, .. } => links::pair(&finder, address.zip(code), json).await,
        Command::Close { device, keep_debugging, forget, hand_over_copies, delete_copies, yes, json } => {
            let copies = match hand_over_copies {
                Some(to) => CopiesGo::HandOver(to),
                None if delete_copies => CopiesGo::Delete,
                None => CopiesGo::Stay,
            };
            let closing = Closing { switch_off: !keep_debugging, forget, copies };
            let how = links::CloseBy { closing, yes, json };
            links::close(&finder, &device, how).await
        }
        Command::Restart { device, to, wait, yes, json } => {
            links::restart(&finder, &device, (to, wait), yes, json).await
        }
        Command::Picture { device, file, json } => files::picture(&finder, &device, &file, json).await,
        Command::Why { device, wanted } => why::why(&finder, &device, wanted).await,
        Command::Upshot { device, tray } => why::upshot(&finder, &device, tray).await,
        Command::Packages { device, wanted } => packages::packages(&finder, &device, wanted).await,
        Command::Run {
            device,
            user,
            ways,
            tray,
            install,
            policy,
            from,
            from_disable,
            keep_data,
            no_way_back,
            despite_start,
            job,
            how,
        } => {
            let tray = packages::tray_from(tray.as_deref())?;
            let list = packages::list_from(from.as_deref())?;
            let despite_start = despite_start.into_iter().collect();
            let terms = Terms { on_refusal: policy, job: job.job(), ..Terms::default() };
            let wanted = change::TakeOut {
                user,
                named: ways.by_way(),
                tray,
                install,
                list,
                from_disable,
                keep_data,
                no_way_back,
                despite_start,
                terms,
            };
            change::take_out(&finder, &device, wanted, how).await
        }
        Command::Settings { device, put_back, sending } => {
            settings::settings(&finder, &device, put_back, sending).await
        }
        Command::Shelf { device, user, json } => shelf::shelf(&finder, &device, user, json).await,
        Command::PutBack { device, wanted, job, how } => {
            change::put_back(&finder, &device, wanted, job.job(), how).await
        }
        Command::Install { device, files, copy, user, job, how } => {
            let from = copy.map_or(files::From::Files(files), files::From::Copy);
            files::install(&finder, &device, from, user, (job.job(), how)).await
        }
        Command::Part { device, package, class, user, set, dry_run, yes, root, json } => {
            let how = How { dry_run, yes, root, json, ..How::default() };
            let wanted = part::Wanted { id: package, class, user, to: set };
            part::part(&finder, &device, wanted, how).await
        }
        Command::Pull { device, there, here, json } => files::pull(&finder, &device, there, here, json).await,
        Command::Push { device, here, there, json } => files::push(&finder, &device, &here, there, json).await,
        Command::Catch { device, run, all, yes, json, next: _ } => {
            catch::catch(&finder, device.as_deref(), catch::Wanted { run, all, yes, json }).await
        }
        Command::FindFault { device, run, what, check, seen, again, end, despite_start, dry_run, yes, json } => {
            let how = How { dry_run, yes, json, ..How::default() };
            let despite_start = despite_start.into_iter().collect();
            let wanted = find_fault::Wanted { run, what, check, seen, again, end, despite_start, how };
            find_fault::find_fault(&finder, &device, wanted).await
        }
        Command::Changes { device, since, beside, looks, tray, json } => {
            let wanted = changes::Wanted { since: since.unwrap_or_default(), beside, looks, tray, json };
            changes::changes(&finder, &device, wanted).await
        }
        Command::UpdateBreak { device, begin, before_too, file, end, from, leave, despite_holds, sending } => {
            let how = sending.into();
            let despite = despite_holds.into_iter().collect();
            let wanted = update_break::Wanted { begin, before_too, file, end, from, leave, despite, how };
            update_break::update_break(&finder, &device, wanted).await
        }
        Command::Order { what } => match what.into() {
            Ordered::Make(making) => order::make(&finder, making).await,
            Ordered::Check(applying) => order_apply::check(&finder, applying).await,
            Ordered::Apply(applying) => order_apply::apply(&finder, applying).await,
            Ordered::Line(applying) => order_line::line_up(&finder, applying).await,
            Ordered::Schema => Ok(order::schema()),
        },
        Command::CarryOn { device, run, how } => change::carry_on(&finder, &device, run, how).await,
        Command::Demo { .. }
        | Command::Here { .. }
        | Command::Sim(_)
        | Command::Score(_)
        | Command::UsbRule
        | Command::Completions { .. }
        | Command::Man { .. }
        | Command::Doctor { .. }
        | Command::Config { .. }
        | Command::Life { .. }
        | Command::Logbook { .. }
        | Command::Runs { .. }
        | Command::Copies { .. }
        | Command::Sheet { .. } => Ok(Exit::Done),
    }
}

/// What is about files alone: neither a device nor the logbook is needed.
fn about_orders(what: OrderCommand) -> Result<Exit, Failure> {
    match what.into() {
        Ordered::Make(making) => order::make_of_list(making),
        Ordered::Check(applying) => order::show(&applying.file, applying.how.json),
        Ordered::Schema | Ordered::Apply(_) | Ordered::Line(_) => Ok(order::schema()),
    }
}
