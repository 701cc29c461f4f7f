#![no_main]
//! Feeds `wibbet_fuzz::ids`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::ids(data));
