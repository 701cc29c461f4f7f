#![no_main]
//! Feeds `wibbet_fuzz::packet`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::packet(data));
