//! The program `rhizograph`: the command line, the server, the store.

pub mod demo;
pub mod prepare;
pub mod server;
