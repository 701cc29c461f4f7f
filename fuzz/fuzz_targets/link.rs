#![no_main]
//! Feeds `wibbet_fuzz::link`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::link(data));
