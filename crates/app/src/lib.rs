//! The program `rhizograph`. [`service`] is all it does, without HTTP; [`store`] keeps it, [`jobs`] do what takes long,
//! [`http`] and [`cli`] are its two doors.

pub mod api;
mod background;
pub mod cli;
pub mod demo;
pub mod http;
pub mod intake;
pub mod jobs;
mod memory;
pub mod progress;
pub mod reader;
pub mod service;
pub mod store;
