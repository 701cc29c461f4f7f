#![no_main]
//! Feeds `wibbet_fuzz::lists`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::lists(data));
