#![no_main]
//! Feeds `wibbet_fuzz::ties`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::ties(data));
