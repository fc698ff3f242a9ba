//! Long work: the queue, and who does what waits in it.

mod carrying;
pub mod queue;
pub mod worker;

use crate::store;

/// Works on the queue until stopped, without serving: on this machine or another.
pub async fn work(database_url: &str) -> Result<(), store::Error> {
    let pool = store::connect(database_url).await?;
    worker::start(&pool);
    println!("Working on what waits in the queue. Ctrl+C stops.");
    std::future::pending().await
}
