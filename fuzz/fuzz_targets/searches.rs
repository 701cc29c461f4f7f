#![no_main]
//! Feeds `wibbet_fuzz::searches`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::searches(data));
