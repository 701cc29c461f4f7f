#![no_main]
//! Feeds `wibbet_fuzz::looks`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::looks(data));
