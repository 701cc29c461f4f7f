#![no_main]
//! Feeds `wibbet_fuzz::front`.
libfuzzer_sys::fuzz_target!(|data: &[u8]| wibbet_fuzz::front(data));
