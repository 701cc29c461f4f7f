#![no_main]
//! Feeds `wibbet_fuzz::announced`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::announced(data));
