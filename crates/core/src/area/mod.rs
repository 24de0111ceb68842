//! Areas: flat faces that a person has outlined, followed as a whole.
//!
//! A face is aligned directly to the picture in which it was outlined, never to the frame before, so it does not
//! drift: coarse to fine ([`fit`]), with robust weights and what covers it left out cell by cell ([`compared`]), under
//! changing light ([`light`]), as soft as the frame is ([`face`]). The thing that it lies on is followed for itself
//! ([`subject`]): a face is nowhere else, it is found again with it, and where it is not to be recognised it goes roughly
//! with it. Where that is not seen either it is searched for nearby ([`search`]). From frame to frame it goes in a
//! [`chain`]; the whole shot is gone through both ways from every frame that a person has set ([`solve`]).

mod anchor;
mod bond;
mod chain;
mod compared;
mod face;
mod fit;
mod keep_out;
mod light;
#[cfg(test)]
pub(crate) mod made;
mod mask;
mod model;
mod outline;
mod place;
mod plain;
mod pyramid;
mod search;
mod solve;
mod subject;
mod task;
#[cfg(test)]
mod tests;

pub(crate) use bond::{Aligned, Bond};
pub(crate) use face::{Face, Level, SOFTNESS};
pub use keep_out::KeepOutTrack;
pub use outline::Outline;
pub use place::Place;
pub(crate) use pyramid::{PictureLevel, Pyramid};
pub(crate) use search::{candidates, is_looked_for, not_looked_at};
pub use solve::solve_area;
pub(crate) use subject::Subject;
pub(crate) use task::Halt;
pub use task::{AreaEnd, AreaSolution, AreaTask, AreaWatch};
