//! The program `rhizograph`: the command line, the server, the store.

pub mod demo;
pub mod intake;
pub mod prepare;
pub mod reader;
pub mod server;
