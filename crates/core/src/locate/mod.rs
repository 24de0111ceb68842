//! Where the subject is: robustly, roughly, with a picture of it that is learned while it is followed.
//!
//! People are no rigid patches: what was clicked on turns, bends, grows and is half covered. A discriminative
//! correlation filter over channels of edges and colour, learned from every frame that is believed, says where
//! something like the subject is; a beam of paths with *hidden* decides where it went. What is found is right to a few
//! pixels; which spot on the subject it is, is for [`crate::align`] to say.

mod alibi;
mod beam;
mod channels;
mod closeup;
mod colours;
mod edges;
mod filter;
mod marks;
mod memory;
mod neighbourhood;
mod pass;
mod response;
mod second_look;
mod settings;
mod sides;
mod sighting;
mod standing;
mod view;

pub use closeup::Closeup;
pub use settings::Settings;
pub use sides::{Side, joined};
pub use sighting::{Known, OUT_OF_SIGHT, Sighting};
pub use view::{Film, View, box_side};
