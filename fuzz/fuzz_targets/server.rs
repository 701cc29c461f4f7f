#![no_main]
//! Feeds `wibbet_fuzz::server`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::server(data));
