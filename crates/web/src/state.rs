//! What every request can reach.

use std::collections::HashMap;
use std::sync::Arc;

use actix_web::cookie::Key;
use jampin_jobs::{EventHub, Library};
use jampin_render::Typesetter;
use jampin_store::{SessionBounds, Store};

use tokio::runtime::Handle;
use tokio::sync::Semaphore;

use crate::evaluated::EvaluatedShots;
use crate::listeners::Listeners;
use crate::recent::Recent;
use crate::visitor::{Asked, Visitor};
use crate::{Metrics, Provider, Reach};

/// Films that come in at the same time.
pub(crate) const UPLOADS: usize = 4;

/// Settings of the web server.
#[derive(Clone, Debug)]
pub struct ServeSettings {
    /// Largest upload, in bytes.
    pub upload_limit: u64,
    /// Bytes that the films and exports of one project may take; of all projects.
    pub quotas: [u64; 2],
    /// Who can reach it.
    pub reach: Reach,
    /// When sessions end.
    pub sessions: SessionBounds,
    /// Whether everybody who has a passphrase needs a second factor.
    pub needs_second_factor: bool,
    /// By whom people may sign in, too.
    pub provider: Option<Provider>,
    /// Whoever has it may read the counters; without one administrators may.
    pub metrics_token: Option<String>,
}

/// What every request can reach.
#[derive(Clone)]
pub struct AppState {
    /// The database.
    pub store: Store,
    /// The media.
    pub library: Library,
    /// News.
    pub hub: EventHub,
    /// Labels to artwork.
    pub typesetter: Typesetter,
    /// Settings.
    pub settings: ServeSettings,
    /// What is counted.
    pub metrics: Metrics,
    /// What the cookies of sessions are sealed with.
    pub(crate) cookie_key: Key,
    /// Sessions that were read a moment ago, by the hash of their key.
    pub(crate) sessions: Recent<Vec<u8>, HashMap<String, String>>,
    /// Who was let in a moment ago, where.
    pub(crate) let_in: Recent<Asked, Visitor>,
    /// Films that may come in at once.
    pub(crate) uploads: Arc<Semaphore>,
    /// Shots that were asked for last.
    pub(crate) shots: EvaluatedShots,
    /// Pages that listen for news.
    pub(crate) listeners: Listeners,
    /// Where whole shots are read and written.
    pub(crate) runtime: Handle,
}

impl AppState {
    /// Who may do what may be another now.
    pub(crate) fn forget_recent(&self) {
        self.sessions.forget();
        self.let_in.forget();
    }

    /// Called within the runtime that whole shots are read and written in. Fails when the database cannot be asked, or
    /// the counters cannot be set up.
    pub async fn new(store: Store, library: Library, hub: EventHub, settings: ServeSettings) -> std::io::Result<Self> {
        let cookie_key = store.cookie_key(Key::generate().master()).await.map_err(std::io::Error::other)?;
        Ok(Self {
            cookie_key: Key::from(&cookie_key),
            sessions: Recent::default(),
            let_in: Recent::default(),
            store,
            library,
            hub,
            typesetter: Typesetter::default(),
            settings,
            metrics: Metrics::new().map_err(std::io::Error::other)?,
            uploads: Arc::new(Semaphore::new(UPLOADS)),
            shots: EvaluatedShots::default(),
            listeners: Listeners::default(),
            runtime: Handle::current(),
        })
    }
}
