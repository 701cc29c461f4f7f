//! `getprop`, `df`.

use super::looping::STARTS_OF_A_LEVEL;
use super::output::Output;
use super::state::State;

impl State {
    pub(super) fn df(&self) -> String {
        if self.scenario.android.sdk < 24 {
            return "Filesystem               Size     Used     Free   Blksize\n/data                    5.1G     3.4G     1.7G   4096\n".into();
        }
        // What an app had kept is free when it goes.
        let gone: u64 = self.data_lost.keys().map(|(id, _)| crate::catalogue::usage::data_sizes(id).0 / 1024).sum();
        let (total, free) = (112_000_000_u64, 61_250_000_u64 + gone);
        format!(
            "Filesystem       1K-blocks     Used Available Use% Mounted on\n/dev/block/dm-5  {total} {} {free}  {}% /data\n",
            total - free,
            (total - free) * 100 / total
        )
    }

    pub(super) fn getprop(&self, name: Option<&str>) -> Output {
        let s = &self.scenario;
        let sdk = s.android.sdk.to_string();
        let booted = if self.calls_until_ready > 0 || self.looping.is_some() { "" } else { "1" };
        let (language, country) = s.languages.split(',').next().unwrap_or("").split_once('-').unwrap_or(("en", "US"));
        let starts = self.framework_starts.to_string();
        let failed = self.failed_starts();
        let told = |number: u32| if number == 0 { String::new() } else { number.to_string() };
        let (rescued, level) = (told(failed), told(failed / STARTS_OF_A_LEVEL));
        let old = s.android.sdk < 23;
        let locale = format!("{language}-{country}");
        let properties = [
            ("persist.sys.locale", if old { "" } else { locale.as_str() }),
            ("persist.sys.language", if old { language } else { "" }),
            ("persist.sys.country", if old { country } else { "" }),
            ("ro.product.locale", "en-GB"),
            ("ro.build.version.release", s.android.release.as_str()),
            ("ro.build.version.sdk", sdk.as_str()),
            ("ro.build.version.security_patch", s.android.patch.as_str()),
            ("ro.product.manufacturer", s.maker.as_str()),
            ("ro.product.model", s.model_code.as_ref().unwrap_or(&s.model).as_str()),
            ("ro.product.marketname", if s.model_code.is_some() { s.model.as_str() } else { "" }),
            ("ro.product.name", s.product.as_str()),
            ("ro.build.characteristics", s.characteristics.as_str()),
            ("ro.build.display.id", s.build.as_str()),
            ("ro.serialno", s.serial.as_str()),
            ("ro.fw.mu.headless_system_user", if s.headless { "true" } else { "" }),
            ("sys.boot_completed", booted),
            ("sys.system_server.start_count", if s.android.sdk >= 29 { starts.as_str() } else { "" }),
            ("sys.rescue_boot_count", if (26..35).contains(&s.android.sdk) { rescued.as_str() } else { "" }),
            ("crashrecovery.rescue_boot_count", if s.android.sdk >= 35 { rescued.as_str() } else { "" }),
            ("sys.rescue_level", if (26..30).contains(&s.android.sdk) { level.as_str() } else { "" }),
        ];
        match name {
            Some(name) => {
                let value = properties.iter().find(|(n, _)| *n == name).map_or("", |(_, value)| value);
                Output::ok(format!("{value}\n"))
            }
            None => Output::ok(properties.iter().map(|(n, v)| format!("[{n}]: [{v}]\n")).collect::<String>()),
        }
    }
}
