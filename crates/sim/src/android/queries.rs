//! Who answers which intents: `query-activities`, `query-services`, `resolve-activity`, as far as the parts of Android that the
//! system counts on go.

use super::output::Output;
use super::state::State;
use crate::scenario::SimKind;

/// What is looked for in an intent, and which of Android's own parts answer it from which API level on.
struct Filter {
    services: bool,
    action: &'static str,
    answers: &'static [(&'static str, std::ops::RangeInclusive<u32>, &'static str)],
}

const ANY: u32 = u32::MAX;

/// From the manifests of the open-source system.
const FILTERS: [Filter; 6] = [
    Filter {
        services: false,
        action: "android.intent.action.INSTALL_PACKAGE",
        answers: &[("com.android.packageinstaller", 0..=ANY, ".InstallStart")],
    },
    Filter {
        services: false,
        action: "android.intent.action.UNINSTALL_PACKAGE",
        answers: &[("com.android.packageinstaller", 0..=ANY, ".UninstallerActivity")],
    },
    Filter {
        services: false,
        action: "android.intent.action.MANAGE_PERMISSIONS",
        answers: &[
            ("com.android.packageinstaller", 23..=28, ".permission.ui.ManagePermissionsActivity"),
            ("com.android.permissioncontroller", 29..=ANY, ".permission.ui.ManagePermissionsActivity"),
        ],
    },
    Filter {
        services: true,
        action: "com.android.sdksandbox.SdkSandboxService",
        answers: &[("com.android.sdksandbox", 33..=ANY, ".SdkSandboxServiceImpl")],
    },
    Filter {
        services: true,
        action: "com.android.location.service.FusedLocationProvider",
        answers: &[("com.android.location.fused", 0..=ANY, ".FusedLocationService")],
    },
    Filter {
        services: true,
        action: "android.service.notification.NotificationAssistantService",
        answers: &[
            ("android.ext.services", 26..=27, ".notification.Ranker"),
            ("com.android.ext.services", 28..=ANY, "android.ext.services.notification.Assistant"),
        ],
    },
];

impl State {
    /// `query-activities`, `query-services` with `--brief` or `--components`. Disabled packages and those that are not
    /// installed for the user answer nothing.
    pub(super) fn query(&self, command: &str, words: &[String]) -> Output {
        let after =
            |name: &str| words.iter().position(|w| w == name).and_then(|n| words.get(n + 1)).map(String::as_str);
        let user = after("--user").and_then(|u| u.parse().ok()).unwrap_or(0);
        let (services, kind) = match command {
            "query-services" => (true, "services"),
            _ => (false, "activities"),
        };
        let sdk = self.scenario.android.sdk;
        let filter = FILTERS.iter().find(|f| f.services == services && Some(f.action) == after("-a"));
        let answers = filter.map_or(&[][..], |f| f.answers).iter().filter(|(id, versions, _)| {
            let system = self.packages.get(*id).is_some_and(|p| p.data.kind == SimKind::System);
            system && versions.contains(&sdk) && self.here(id, user)
        });
        let found: Vec<String> = answers.map(|(id, _, class)| format!("{id}/{class}")).collect();
        if found.is_empty() {
            return Output::ok(format!("No {kind} found\n"));
        }
        if words.iter().any(|w| w == "--components") {
            return Output::ok(found.iter().map(|name| format!("{name}\n")).collect::<String>());
        }
        let one = |(n, name): (usize, &String)| {
            format!(
                "  {} #{n}:\n    priority=0 preferredOrder=0 match=0x108000 specificIndex=-1 isDefault=true\n    {name}\n",
                if services { "Service" } else { "Activity" }
            )
        };
        let all: String = found.iter().enumerate().map(one).collect();
        Output::ok(format!("{} {kind} found:\n{all}", found.len()))
    }
}
