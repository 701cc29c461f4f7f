#![no_main]
//! Feeds `wibbet_fuzz::users`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::users(data));
