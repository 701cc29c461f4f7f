#![no_main]
//! Feeds `wibbet_fuzz::banner`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::banner(data));
