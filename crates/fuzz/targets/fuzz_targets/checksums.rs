#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| deft_barge_fuzz::checksums(data));
