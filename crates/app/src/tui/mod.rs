//! stub
use deft_barge_core::site::Site;
use crate::fault::Fault;
pub fn run(_site: Site) -> Result<u8, Fault> { Ok(0) }
