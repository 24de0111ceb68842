//! Picture planes and smooth sampling of them.

mod blur;
mod cuts;
mod enlarge;
mod plane;
mod scene;
mod smooth;
mod source;
mod sweep;

pub use blur::Blur;
pub use cuts::CutFinder;
pub use enlarge::{difference, enlarge};
pub use plane::{Plane, Window};
pub use scene::{CameraMove, FrameChange, Plate, Scene, SceneFinder};
pub use smooth::{NOISE_GAIN, PatchSamples, SmoothPatch};
pub use source::{Component, FrameSource, PlaneStack};
pub use sweep::SweepFinder;
