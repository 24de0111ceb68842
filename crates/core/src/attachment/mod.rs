//! What hangs on a subject: the settings of each kind, and nothing worked out from them.
//!
//! A kind has a file with its settings, their checks and the addresses under which keyframes change them, and a line in
//! each `match` of `kind` and `reshape`.

mod animated;
mod boundary;
mod colour_key;
mod cover;
mod film_clip;
mod flare;
mod foreground;
mod keyframes;
mod kind;
mod label;
mod limits;
mod lying;
mod orientation;
mod picture;
mod reshape;
mod settings;
mod show;
mod sparks;
mod style;
mod transition;

pub(crate) use animated::AnimatedSettings;
pub use boundary::{Boundary, Corner, Drawing, Glow, TextPlace, Tint};
pub use colour_key::{ColourKey, Keyer};
pub use cover::{Cover, CoverEffect, CoverLook, CoverShape, Streak};
pub use film_clip::{ClipEnd, FilmClip};
pub use flare::{Flare, FlareLook, FlarePart, FlarePartKind};
pub use foreground::{Brightness, ForegroundMatte};
pub(crate) use keyframes::value_on;
pub use keyframes::{AnimatedProperty, PropertyKeyframe};
pub use kind::{Attachment, AttachmentKind};
pub use label::{BoxStyle, Edge, Font, Label, LabelArt, LineCourse, Placement, Second, Shadow};
pub use lying::LyingFace;
pub use orientation::{Axis, Orientation, Takes};
pub use picture::{Picture, PictureMount};
pub use settings::SettingProblem;
pub use show::{Blend, Show};
pub use sparks::Sparks;
pub use transition::{Transition, TransitionKind};
