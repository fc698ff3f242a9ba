//! Server-sent events: who looks at a shot hears of every change to it, whichever server it was made at.

use crate::api::Event;
use serde::Deserialize;
use sqlx::PgPool;
use sqlx::postgres::PgListener;
use std::time::Duration;
use tokio::sync::broadcast;

/// The channel on which the database passes news from one server to the others.
pub const CHANNEL: &str = "rhizograph_news";

/// How long a server rests when the database cannot be reached.
const REST: Duration = Duration::from_millis(500);

/// What one server tells the others.
#[derive(Deserialize)]
pub struct News {
    /// Who tells it; a server has heard its own already. None: everyone is to hear.
    from: Option<u64>,
    /// None: whichever shot is looked at.
    shot: Option<i64>,
    event: Event,
}

impl News {
    fn written(&self) -> String {
        serde_json::json!({ "from": self.from, "shot": self.shot, "event": self.event }).to_string()
    }

    /// News for everyone, as the database passes them on.
    pub fn for_all(shot: i64, event: Event) -> String {
        News { from: None, shot: Some(shot), event }.written()
    }

    /// The same, whichever shot is looked at.
    pub fn for_any_shot(event: Event) -> String {
        News { from: None, shot: None, event }.written()
    }
}

/// The line on which all changes are called out; without a shot they are for everyone.
pub struct Events {
    line: broadcast::Sender<(Option<i64>, Event)>,
    pool: PgPool,
    /// Tells this server from others on the same database.
    id: u64,
}

impl Events {
    pub fn new(pool: PgPool) -> Events {
        use std::hash::{BuildHasher, RandomState};
        let id = RandomState::new().hash_one(std::time::SystemTime::now()) >> 12;
        Events { line: broadcast::channel(1024).0, pool, id }
    }

    /// Tells all who look at the shot, at this server at once, at others by the database.
    pub fn tell(&self, shot: i64, event: Event) {
        self.tell_whom(Some(shot), event);
    }

    /// Tells all who look at any shot.
    pub fn tell_all(&self, event: Event) {
        self.tell_whom(None, event);
    }

    fn tell_whom(&self, shot: Option<i64>, event: Event) {
        // Nobody listening is no error.
        let _ = self.line.send((shot, event.clone()));
        let (pool, news) = (self.pool.clone(), News { from: Some(self.id), shot, event }.written());
        tokio::spawn(async move {
            // What is missed is read again when the database is back.
            let _ = sqlx::query("select pg_notify($1, $2)").bind(CHANNEL).bind(news).execute(&pool).await;
        });
    }

    /// Passes on what the database tells, for as long as the server runs: after an absence everyone reads again.
    pub fn hear_database(&self) {
        let (pool, line, id) = (self.pool.clone(), self.line.clone(), self.id);
        tokio::spawn(async move {
            let mut is_back = false;
            loop {
                if let Err(e) = hear(&pool, &line, id, is_back).await {
                    tracing::warn!("the database is not heard: {e}");
                }
                is_back = true;
                tokio::time::sleep(REST).await;
            }
        });
    }

    pub fn listen(&self) -> broadcast::Receiver<(Option<i64>, Event)> {
        self.line.subscribe()
    }
}

/// Hears the database until it is gone.
async fn hear(
    pool: &PgPool,
    line: &broadcast::Sender<(Option<i64>, Event)>,
    id: u64,
    is_back: bool,
) -> sqlx::Result<()> {
    let mut listener = PgListener::connect_with(pool).await?;
    listener.listen(CHANNEL).await?;
    if is_back {
        let _ = line.send((None, Event::Drawings));
        let _ = line.send((None, Event::Jobs));
    }
    // None: the connection was lost, and news with it.
    while let Some(told) = listener.try_recv().await? {
        if let Ok(news) = serde_json::from_str::<News>(told.payload())
            && news.from != Some(id)
        {
            let _ = line.send((news.shot, news.event));
        }
    }
    Ok(())
}
