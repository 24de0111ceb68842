//! What several crates' tests need: films made on the spot, a database, a running server. Never shipped.

#[cfg(feature = "sign-in")]
mod authenticator;
mod database;
mod film;
mod hostile;
mod http;
#[cfg(feature = "object-store")]
mod object_store;
mod picture;
#[cfg(feature = "sign-in")]
mod provider;
mod scene;
mod server;
mod visitor;

#[cfg(feature = "sign-in")]
pub use authenticator::Authenticator;
pub use database::fresh_database;
pub use film::{decode_rgb, make_film, probe_values, real_film};
pub use hostile::{Dice, changed_bytes, changed_json, inputs};
pub use http::{Answer, request, try_request};
#[cfg(feature = "object-store")]
pub use object_store::{BUCKET, ObjectStore, Weather, environment};
pub use picture::{as_film_keeps_it, differences, part_of};
#[cfg(feature = "sign-in")]
pub use provider::{IdentityProvider, Lie};
pub use server::{Server, pause};
pub use visitor::Visitor;
