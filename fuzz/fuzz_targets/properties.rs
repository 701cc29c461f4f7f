#![no_main]
//! Feeds `wibbet_fuzz::properties`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::properties(data));
