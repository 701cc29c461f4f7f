#![no_main]
//! Feeds `wibbet_fuzz::orders`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::orders(data));
