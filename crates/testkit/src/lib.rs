//! What several crates' tests need: films made on the spot, a database, a running server. Never shipped.

mod database;
mod film;
mod hostile;
mod http;
#[cfg(feature = "object-store")]
mod object_store;
mod scene;
mod server;
mod visitor;

pub use database::fresh_database;
pub use film::{decode_rgb, make_film, probe_values, real_film};
pub use hostile::{Dice, changed_bytes, changed_json, inputs};
pub use http::{Answer, request, try_request};
#[cfg(feature = "object-store")]
pub use object_store::{BUCKET, ObjectStore, Weather, environment};
pub use server::Server;
pub use visitor::Visitor;
