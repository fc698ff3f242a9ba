//! What nobody waits for yet: it is done on one thread of low priority, takes no place from others, one thing at a time.

use crate::background;
use rayon::ThreadPool;
use std::future::Future;
use std::sync::Arc;
use tokio::sync::Semaphore;

tokio::task_local! {
    static THREADS: Option<Arc<ThreadPool>>;
}

/// The threads of the task at hand, if nobody waits for it yet.
pub fn threads() -> Option<Arc<ThreadPool>> {
    THREADS.try_with(Option::clone).ok().flatten()
}

pub struct Ahead {
    /// None: the system gives no more threads, and this is done as all else.
    threads: Option<Arc<ThreadPool>>,
    one: Semaphore,
}

impl Ahead {
    pub fn new() -> Ahead {
        Ahead { threads: background::threads(1).ok().map(Arc::new), one: Semaphore::new(1) }
    }

    /// Does something for whoever may ask for it next, once what was begun so before is done.
    pub async fn of_all<T>(&self, doing: impl Future<Output = T>) -> T {
        let _one = self.one.acquire().await;
        THREADS.scope(self.threads.clone(), doing).await
    }
}
