//! The computing heart of Jam Pin: following pins, and what hangs on them.
//!
//! No I/O, no clock, no threads of its own, no interface code: callers hand in picture planes and numbers,
//! and get numbers back. The same input and settings give the same bytes, every time.
//!
//! # Coordinates
//! x grows right, y grows down, in pixels of the full-size picture. Pixel `(col, row)` is the square from
//! `(col, row)` to `(col + 1, row + 1)`; its centre is at `(col + 0.5, row + 0.5)`. Frames count from 0 at the
//! start of the clip.
//!
//! # Rooms
//! From the ground up; each knows only those before it, and no file needs itself in the end.
//! - [`geometry`], [`time`]: places, maps, frames
//! - [`image`]: planes, windows of them, smooth sampling; what is known of a film as a whole
//! - [`track`]: what was found: samples, how sure they are, how much of a motion counts
//! - [`pin`]: a followed spot and its settings
//! - [`matching`]: where a pattern is, to the pixel; which spots are worth following
//! - [`align`]: where it is below the pixel, and how sure that is
//! - [`locate`]: where the subject is, robustly and roughly
//! - [`area`]: where a flat face is that was outlined by hand
//! - [`mesh`]: where a surface is that bends
//! - [`follow`]: the live pass from frame to frame
//! - [`solve`]: the path over the whole shot, and which frames are doubtful
//! - [`check`]: what a track is judged by: the weave, the pace; how long the shutter was open
//! - [`path`]: a subject's cleaned motion: bridges, recipes, keyframes
//! - [`motion`]: how a subject with several pins turns, grows and tilts; points carried by it
//! - [`attachment`]: the settings of what hangs on a subject
//! - [`document`]: what a person made of a shot: subjects, pins, attachments
//! - [`edit`]: changes to a shot as values with inverses
//! - [`action`]: what a person does, as edits with a title
//! - [`evaluate`]: what a subject's samples come to on every frame
//! - [`scene`]: attachments evaluated to drawables of one frame
//! - [`formats`]: open data as text in and out

pub mod action;
pub mod align;
pub mod area;
pub mod attachment;
mod biweight;
pub mod check;
mod cholesky;
pub mod document;
pub mod edit;
pub mod evaluate;
pub mod follow;
pub mod formats;
pub mod geometry;
pub mod image;
pub mod locate;
mod look;
pub mod matching;
mod median;
pub mod mesh;
pub mod motion;
pub mod path;
pub mod pin;
pub mod scene;
pub mod solve;
pub mod time;
pub mod track;
