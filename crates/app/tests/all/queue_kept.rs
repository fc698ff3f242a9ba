//! Why the queue's transport is ours: what a well-known library for queues in PostgreSQL does not keep. Where one of these
//! fails some day, the library may have learnt it, and the transport can be its.

use crate::support;

use apalis_core::backend::TaskSink;
use apalis_core::worker::builder::WorkerBuilder;
use apalis_core::worker::context::WorkerContext;
use apalis_postgres::{Config, PostgresStorage};
use sqlx::PgPool;
use std::future::pending;
use std::time::Duration;
use support::Server;
use tokio::runtime::Runtime;

fn config() -> Config {
    Config::default()
        .queue("sheets")
        .lock_tasks(true)
        .heartbeat_interval(Duration::from_millis(500))
        .missed_heartbeats(2)
}

/// Makes the library's tables and one of results.
async fn set_up(pool: &PgPool) {
    PostgresStorage::<()>::setup(pool).await.unwrap();
    sqlx::query("create table results (task integer not null)").execute(pool).await.unwrap();
}

async fn results(pool: &PgPool) -> i64 {
    sqlx::query_scalar("select count(*) from results").fetch_one(pool).await.unwrap()
}

/// A result is stored, and the process dies before the library notes that the task is done: the task is done again. What a task
/// stores and that it is done cannot be one transaction there: a task is given no part in that of its end.
#[test]
fn a_result_that_was_stored_before_its_task_was_noted_as_done_is_stored_twice() {
    let url = Server::empty_database();
    let dies = Runtime::new().unwrap();
    dies.block_on(async {
        let pool = PgPool::connect(&url).await.unwrap();
        set_up(&pool).await;
        let mut queue = PostgresStorage::new(&pool).with_config(config());
        queue.push(7i32).await.unwrap();
        let store = pool.clone();
        let stores = move |task: i32| {
            let pool = store.clone();
            async move {
                sqlx::query("insert into results values ($1)").bind(task).execute(&pool).await?;
                pending::<Result<(), sqlx::Error>>().await
            }
        };
        tokio::spawn(async move { WorkerBuilder::new("first").backend(queue).build(stores).run().await });
        while results(&pool).await == 0 {
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
    });
    dies.shutdown_background();

    Runtime::new().unwrap().block_on(async {
        let pool = PgPool::connect(&url).await.unwrap();
        let queue = PostgresStorage::<i32>::new(&pool).with_config(config());
        let store = pool.clone();
        let stores = move |task: i32, worker: WorkerContext| {
            let pool = store.clone();
            async move {
                sqlx::query("insert into results values ($1)").bind(task).execute(&pool).await?;
                worker.stop().unwrap();
                Ok::<(), sqlx::Error>(())
            }
        };
        let again = WorkerBuilder::new("second").backend(queue).build(stores).run();
        tokio::time::timeout(Duration::from_secs(60), again).await.unwrap().unwrap();
        assert_eq!(results(&pool).await, 2, "one task, done twice");
    });
}
