//! Picture planes and smooth sampling of them.

mod aside;
mod blur;
mod camera;
mod cuts;
mod enlarge;
mod figure;
mod noise;
mod plane;
mod plate;
mod scene;
mod small;
mod smooth;
mod source;
mod sweep;
mod thinned;
mod thinning;

pub(crate) use aside::{AnySource, Lost, with_all, with_any};
pub use blur::Blur;
pub use camera::CameraMove;
pub use cuts::CutFinder;
pub use enlarge::{difference, enlarge, upright};
pub(crate) use noise::noise_of;
pub use plane::{Plane, Window};
pub use plate::Plate;
pub use scene::{FrameChange, Scene, SceneFinder};
pub use smooth::{NOISE_GAIN, PatchSamples, SmoothPatch};
pub use source::{Chroma, Component, FrameSource, PlaneStack};
pub use sweep::SweepFinder;
pub use thinned::Thinned;
pub use thinning::Thinning;
