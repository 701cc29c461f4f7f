#![no_main]
//! Feeds `wibbet_fuzz::help`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::help(data));
