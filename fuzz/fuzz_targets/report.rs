#![no_main]
//! Feeds `wibbet_fuzz::report`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::report(data));
