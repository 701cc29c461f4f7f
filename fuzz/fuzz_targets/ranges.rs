#![no_main]
//! Feeds `wibbet_fuzz::ranges`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::ranges(data));
