#![no_main]
//! Feeds `wibbet_fuzz::dump`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::dump(data));
