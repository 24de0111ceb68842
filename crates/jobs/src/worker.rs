//! What work is done with.

use jampin_store::Store;

use crate::{EventHub, Library};

/// Everything that work needs.
#[derive(Clone)]
pub struct Worker {
    /// The database.
    pub store: Store,
    /// The media.
    pub library: Library,
    /// News.
    pub hub: EventHub,
}
