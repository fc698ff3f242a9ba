//! The program without the server.

pub mod prepare;
