#![no_main]
//! Feeds `wibbet_fuzz::apk`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::apk(data));
