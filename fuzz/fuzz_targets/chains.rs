#![no_main]
//! Feeds `wibbet_fuzz::chains`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::chains(data));
