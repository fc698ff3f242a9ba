//! Long work: the queue, and who does what waits in it.

mod carrying;
pub mod handing;
pub mod queue;
mod read;
mod settling;
pub mod worker;

use crate::store;
use std::path::PathBuf;

/// Works on the queue until stopped, without serving: on this machine or another.
/// `out`: the folder that files may be handed off to.
pub async fn work(database_url: &str, out: Option<PathBuf>) -> Result<(), store::Error> {
    let pool = store::connect(database_url).await?;
    worker::start(&pool, out);
    println!("Working on what waits in the queue. Ctrl+C stops.");
    std::future::pending().await
}
