#![no_main]
//! Feeds `wibbet_fuzz::pairing`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::pairing(data));
