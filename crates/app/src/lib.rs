//! The program `rhizograph`: the command line, the server, the store.

pub mod prepare;
