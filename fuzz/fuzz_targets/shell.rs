#![no_main]
//! Feeds `wibbet_fuzz::shell`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::shell(data));
