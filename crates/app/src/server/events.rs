//! Server-sent events: who looks at a shot hears of every change to it.

use super::api::Event;
use super::queue;
use sqlx::PgPool;
use sqlx::postgres::PgListener;
use tokio::sync::broadcast;

/// The line on which all changes are called out.
pub struct Events(broadcast::Sender<(i64, Event)>);

impl Default for Events {
    fn default() -> Self {
        Events(broadcast::channel(256).0)
    }
}

impl Events {
    /// Tells all who look at the shot.
    pub fn tell(&self, shot: i64, event: Event) {
        // Nobody listening is no error.
        let _ = self.0.send((shot, event));
    }

    /// Passes on what the database tells of background work, in this process and in others.
    pub async fn hear_database(&self, pool: PgPool) -> sqlx::Result<()> {
        let mut listener = PgListener::connect_with(&pool).await?;
        listener.listen(queue::CHANNEL).await?;
        let line = self.0.clone();
        tokio::spawn(async move {
            while let Ok(told) = listener.recv().await {
                if let Ok(shot) = told.payload().parse() {
                    let _ = line.send((shot, Event::Jobs));
                }
            }
        });
        Ok(())
    }

    pub fn listen(&self) -> broadcast::Receiver<(i64, Event)> {
        self.0.subscribe()
    }
}
