//! Options that several commands share.

use clap::Args;
use wibbet_bench::after::AfterRun;
use wibbet_core::plan::{Change, Job};
use wibbet_types::{PackageId, PlainText, RunId, UserId};

/// What is to be done to which packages.
#[derive(Debug, Args)]
pub(crate) struct WantedWays {
    /// Packages to uninstall for the user.
    #[arg(long, value_name = "ID", num_args = 1.., requires = "user")]
    pub(crate) uninstall: Vec<PackageId>,
    /// Packages to disable for the user.
    #[arg(long, value_name = "ID", num_args = 1.., requires = "user")]
    pub(crate) disable: Vec<PackageId>,
    /// Packages to suspend for the user: they stay, greyed out, and cannot be opened (Android 9 on).
    #[arg(long, value_name = "ID", num_args = 1.., requires = "user")]
    pub(crate) suspend: Vec<PackageId>,
    /// Packages to hide from the user, as root (with --root).
    #[arg(long, value_name = "ID", num_args = 1.., requires_all = ["root", "user"])]
    pub(crate) hide: Vec<PackageId>,
    /// Packages to disable as the system does, as root (with --root): nothing but root leads out of that.
    #[arg(long, value_name = "ID", num_args = 1.., requires_all = ["root", "user"])]
    pub(crate) disable_by_root: Vec<PackageId>,
    /// Packages whose folder is removed from the partition of the system, as root (with --root): they go for everybody, once the device
    /// starts anew. A copy is kept.
    #[arg(long, value_name = "ID", num_args = 1.., requires_all = ["root", "user"])]
    pub(crate) remove_from_system: Vec<PackageId>,
    /// Packages that are to do nothing for the user while nobody looks at them (Android 9 on).
    #[arg(long, value_name = "ID", num_args = 1.., requires = "user")]
    pub(crate) quieten: Vec<PackageId>,
    /// Packages to end for the user, until somebody or something starts them again.
    #[arg(long, value_name = "ID", num_args = 1.., requires = "user")]
    pub(crate) force_stop: Vec<PackageId>,
    /// Packages whose cache is cleared for the user (Android 12 on).
    #[arg(long, value_name = "ID", num_args = 1.., requires = "user")]
    pub(crate) clear_cache: Vec<PackageId>,
    /// Packages that lose all that they keep for the user.
    #[arg(long, value_name = "ID", num_args = 1.., requires = "user")]
    pub(crate) clear_data: Vec<PackageId>,
}

impl WantedWays {
    /// The packages by way.
    pub(crate) fn by_way(self) -> Vec<(Change, Vec<PackageId>)> {
        vec![
            (Change::Uninstall, self.uninstall),
            (Change::Disable, self.disable),
            (Change::Suspend, self.suspend),
            (Change::Hide, self.hide),
            (Change::DisableByRoot, self.disable_by_root),
            (Change::RemoveFromSystem, self.remove_from_system),
            (Change::Quieten, self.quieten),
            (Change::ForceStop, self.force_stop),
            (Change::ClearCache, self.clear_cache),
            (Change::ClearData, self.clear_data),
        ]
    }
}

/// What is to be put back.
#[derive(Debug, Args)]
pub(crate) struct WantedBack {
    /// The packages.
    #[arg(value_name = "ID", required_unless_present_any = ["run", "all"], conflicts_with_all = ["run", "all"])]
    pub(crate) ids: Vec<PackageId>,
    /// Everything that this run took out and that is still off.
    #[arg(long, value_name = "NUMBER", conflicts_with = "all")]
    pub(crate) run: Option<RunId>,
    /// Everything that Wibbet took out and that is still off. What was off before stays off.
    #[arg(long)]
    pub(crate) all: bool,
    /// The user for whom; with --run and --all everybody when left out.
    #[arg(long, required_unless_present_any = ["run", "all"])]
    pub(crate) user: Option<UserId>,
}

/// What is kept of a run besides what it does.
#[derive(Debug, Args)]
pub(crate) struct WantedJob {
    /// Who does it; kept with the run.
    #[arg(long, value_name = "NAME")]
    pub(crate) technician: Option<String>,
    /// The workshop's number for the job; kept with the run.
    #[arg(long, value_name = "NUMBER")]
    pub(crate) ticket: Option<String>,
    /// For whom it is done; kept with the run.
    #[arg(long, value_name = "NAME")]
    pub(crate) customer: Option<String>,
    /// A note for the customer; kept with the run.
    #[arg(long, value_name = "TEXT")]
    pub(crate) note: Option<String>,
}

impl WantedJob {
    /// The job that is named; `None` where nothing of it is, for the one that the device is at.
    pub(crate) fn job(self) -> Option<Job> {
        let Self { technician, ticket, customer, note } = self;
        let named = [&technician, &ticket, &customer, &note].iter().any(|text| text.is_some());
        let text = |text: Option<String>| PlainText::new(&text.unwrap_or_default()).into_string();
        named.then(|| Job {
            technician: text(technician),
            ticket: text(ticket),
            customer: text(customer),
            note: text(note),
        })
    }
}

/// How something is sent that takes nothing more.
#[derive(Debug, Clone, Copy, Args)]
pub(crate) struct Sending {
    /// Show what would be sent, and send nothing.
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Do not ask before sending.
    #[arg(long)]
    pub(crate) yes: bool,
    /// One JSON object on standard output.
    #[arg(long)]
    pub(crate) json: bool,
}

impl From<Sending> for How {
    fn from(Sending { dry_run, yes, json }: Sending) -> Self {
        Self { dry_run, yes, json, ..Self::default() }
    }
}

/// How a change is made.
#[derive(Debug, Clone, Copy, Default, Args)]
pub(crate) struct How {
    /// Show what would be sent, and send nothing.
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Do not ask before sending.
    #[arg(long)]
    pub(crate) yes: bool,
    /// Ask the device for root first, where it has it: for what takes that, and for leaving what root has done.
    #[arg(long)]
    pub(crate) root: bool,
    /// Measure the device before and after: packages in use, free space, memory.
    #[arg(long)]
    pub(crate) figures: bool,
    /// When all is done restart the device, and look again whether what was done is so still.
    #[arg(long)]
    pub(crate) restart: bool,
    /// Watch for so many minutes afterwards what fails on the device, and what that is likely due to.
    #[arg(long, value_name = "MINUTES")]
    pub(crate) watch: Option<u32>,
    /// One JSON object on standard output.
    #[arg(long)]
    pub(crate) json: bool,
}

impl How {
    /// What is looked at behind it.
    pub(crate) fn after(self) -> AfterRun {
        AfterRun { figures: self.figures, restart: self.restart, watch: self.watch }
    }
}
