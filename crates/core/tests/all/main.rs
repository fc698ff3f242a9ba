//! What the core is to do, in one program: it is built once, and its tests fill all cores to the end.

#![allow(clippy::unwrap_used)]

mod alike;
mod bounds;
mod carry;
mod cuts;
mod cutting;
mod drawing;
mod inking;
mod joining;
mod lifting;
mod mending;
mod middles;
mod painting;
mod pile;
mod quality;
mod replay;
mod solids;
mod support;
mod tails;
mod tracing;
mod worst_cases;
