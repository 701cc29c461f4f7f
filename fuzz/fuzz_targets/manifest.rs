#![no_main]
//! Feeds `wibbet_fuzz::manifest`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::manifest(data));
