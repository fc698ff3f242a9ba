//! Server-sent events: who looks at a shot hears of every change to it.

use super::api::Event;
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

    pub fn listen(&self) -> broadcast::Receiver<(i64, Event)> {
        self.0.subscribe()
    }
}
