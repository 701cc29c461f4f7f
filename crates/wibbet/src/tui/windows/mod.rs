//! Windows over a view, a file each: its form, its keys, its drawing. A new one is a file and a line in the list below.

mod address;
mod apps;
mod catch;
mod changes;
mod choices;
mod close;
mod columns;
mod device_screens;
mod everything;
mod export;
mod files;
mod finder;
mod form;
mod guide;
mod help;
mod here;
mod id_list;
mod job;
mod job_sheet;
mod languages;
mod life;
mod logged_run;
mod menu;
mod note;
mod open;
mod order_matrix;
mod orders;
mod other_ways;
mod page;
mod pair;
mod palette;
mod parts;
mod quit;
mod restart;
mod search_help;
mod searches;
mod settings_back;
mod shell;
mod start;
mod ties;
mod update_break;
mod ways;

use ratatui::Frame;
use tui_input::Input;

use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::Theme;
use form::Form;

pub(crate) use form::Flow;
pub(crate) use here::Here;
pub(crate) use id_list::IdList;
pub(crate) use pair::Pair;

macro_rules! windows {
    ($($module:ident::$name:ident),* $(,)?) => {
        /// A window over the view.
        #[derive(Debug, Clone)]
        pub(crate) enum Window {
            $($name(Box<$module::$name>),)*
        }

        impl Window {
            /// The window that an action opens; `None` where it opens none.
            pub(crate) fn open(app: &mut App, action: Action, out: &mut Vec<Effect>) -> Option<Self> {
                $(if action == $module::$name::OPENED_BY {
                    return $module::$name::open(app, out).map(|form| Self::$name(Box::new(form)));
                })*
                None
            }

            /// How many there are.
            #[cfg(test)]
            pub(crate) const COUNT: usize = [$($module::$name::OPENED_BY),*].len();

            /// Whether an action is there to open a window.
            #[cfg(test)]
            pub(crate) fn is_opened_by(action: Action) -> bool {
                [$($module::$name::OPENED_BY),*].contains(&action)
            }

            /// Whether what is done in it is done to the device under the cursor.
            pub(crate) fn is_about_the_device(&self) -> bool {
                match self { $(Self::$name(_) => $module::$name::ABOUT_THE_DEVICE,)* }
            }

            /// Whether it is a list of actions, each of which is done as soon as it is tapped.
            pub(crate) fn is_of_actions(&self) -> bool {
                matches!(self, Self::Menu(_) | Self::Palette(_))
            }

            pub(crate) fn layer(&self) -> Layer {
                match self { $(Self::$name(form) => form.layer(),)* }
            }

            pub(crate) fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
                match self { $(Self::$name(form) => form.act(app, action, out),)* }
            }

            pub(crate) fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
                match self { $(Self::$name(form) => form.draw(app, theme, frame),)* }
            }

            pub(crate) fn field(&mut self) -> Option<&mut Input> {
                match self { $(Self::$name(form) => form.field(),)* }
            }

            pub(crate) fn edited(&mut self) {
                match self { $(Self::$name(form) => form.edited(),)* }
            }

            pub(crate) fn swiped(&mut self, app: &App, by: isize) -> bool {
                match self { $(Self::$name(form) => form.swiped(app, by),)* }
            }

            pub(crate) fn paste(&mut self, app: &App, text: &str) -> bool {
                match self { $(Self::$name(form) => form.paste(app, text),)* }
            }

            pub(crate) fn is_moving(&self) -> bool {
                match self { $(Self::$name(form) => form.is_moving(),)* }
            }
        }
    };
}

windows![
    address::Address,
    apps::Apps,
    catch::Catch,
    changes::Changes,
    choices::Choices,
    close::Close,
    columns::Columns,
    device_screens::DeviceScreens,
    everything::Everything,
    export::Export,
    files::Files,
    finder::Finder,
    guide::Guide,
    help::Help,
    here::Here,
    id_list::IdList,
    job::JobForm,
    job_sheet::JobSheet,
    languages::Languages,
    life::LifeOf,
    logged_run::LoggedRun,
    menu::Menu,
    note::NoteForm,
    open::Open,
    orders::OrdersForm,
    other_ways::OtherWays,
    pair::Pair,
    palette::Palette,
    parts::Parts,
    quit::Quit,
    restart::Restart,
    search_help::SearchHelp,
    searches::Searches,
    settings_back::SettingsBack,
    shell::Shell,
    start::Start,
    ties::Ties,
    update_break::Break,
    ways::Ways,
];
