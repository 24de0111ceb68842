//! What every request can reach.

use jampin_jobs::{EventHub, Library};
use jampin_render::Typesetter;
use jampin_store::Store;

/// Settings of the web server.
#[derive(Clone, Debug)]
pub struct ServeSettings {
    /// Largest upload, in bytes.
    pub upload_limit: u64,
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
}
