#![no_main]
//! Feeds `wibbet_fuzz::table`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::table(data));
