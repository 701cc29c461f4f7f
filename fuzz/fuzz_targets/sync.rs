#![no_main]
//! Feeds `wibbet_fuzz::sync`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::sync(data));
