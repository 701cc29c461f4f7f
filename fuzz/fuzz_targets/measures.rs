#![no_main]
//! Feeds `wibbet_fuzz::measures`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::measures(data));
