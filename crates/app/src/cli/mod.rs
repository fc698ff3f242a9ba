//! The program without the server.

pub mod carry;
pub mod prepare;
