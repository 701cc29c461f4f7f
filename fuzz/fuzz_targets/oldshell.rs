#![no_main]
//! Feeds `wibbet_fuzz::oldshell`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::oldshell(data));
