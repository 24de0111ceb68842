//! What each kind of long work does with core, media, render and store; and the loop that takes it.

mod backup;
mod draft;
mod durable;
mod export;
mod follow;
mod housekeeping;
mod hub;
mod library;
mod painting;
mod place;
mod prepare;
mod progress;
mod sequence;
mod solve;
mod stills;
mod work;
mod worker;

pub use backup::{BackupError, BackupReport, back_up, restore};
pub use durable::{make_room_for, put_in_place};
pub use export::{ExportResult, ExportTask, Pictured, Product, pictures_of};
pub use follow::{FollowResult, FollowTask};
pub use housekeeping::{PutRight, keep_house, put_right};
pub use hub::EventHub;
pub use library::Library;
pub use painting::{Painting, paint_film, paint_still};
pub use prepare::{PrepareTask, ask_for_planes};
pub use progress::ExportProgress;
pub use sequence::SequenceTask;
pub use solve::{SolveResult, SolveTask};
pub use stills::{HARMLESS_SVG, keep_picture};
pub use work::{Task, TaskError};
pub use worker::{Worker, spawn_worker};
