//! What a person made of a shot: subjects with their pins and attachments, and the samples of each pin. Nothing is
//! worked out here.

mod area;
mod shot;
mod subject;
#[cfg(test)]
mod tests;
mod validate;

pub use area::{Area, DrawnOutline, Fineness, KeepOut, OutlineOnFrame};
pub(crate) use area::{bounds_of, carried_by};
pub use shot::Shot;
pub use subject::{HandOver, SUBJECT_COLOURS, Subject};
pub use validate::{DocumentProblem, MAX_NAME};
pub(crate) use validate::{FARTHEST, check_face, frame as check_frame, within};
