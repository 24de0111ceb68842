//! News from the database for everybody in this process.

use std::time::Duration;

use jampin_store::{Event, Store};
use tokio::sync::broadcast;

/// Events kept for a slow receiver; one that falls further behind is told so and reads everything anew.
const BACKLOG: usize = 1024;
/// Wait before listening again after the connection broke.
const AGAIN: Duration = Duration::from_secs(1);

/// Hands on every event. Clones share one listener.
#[derive(Clone, Debug)]
pub struct EventHub(broadcast::Sender<Event>);

impl EventHub {
    /// Starts to listen, and listens again whenever the connection breaks.
    pub fn start(store: Store) -> Self {
        let (sender, _) = broadcast::channel(BACKLOG);
        let hub = Self(sender.clone());
        tokio::spawn(async move {
            let mut heard_before = false;
            loop {
                match store.listen().await {
                    Ok(listener) => {
                        // Nobody may be there to receive; that is no error.
                        if heard_before {
                            drop(sender.send(Event::Missed));
                        }
                        heard_before = true;
                        let error = listener.run(|event| drop(sender.send(event))).await;
                        tracing::warn!(%error, "listening to the database broke off");
                    }
                    Err(error) => tracing::warn!(%error, "cannot listen to the database"),
                }
                tokio::time::sleep(AGAIN).await;
            }
        });
        hub
    }

    /// All events from now on.
    pub fn subscribe(&self) -> broadcast::Receiver<Event> {
        self.0.subscribe()
    }
}
