//! The program without the server.

pub mod backup;
pub mod carry;
pub mod prepare;
