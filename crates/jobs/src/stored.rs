//! The core's long computations on planes that lie on the disk. The command line asks for them here, so that they are
//! compiled once, with all optimisations; what asks need not be.

use jampin_core::area::{AreaEnd, AreaTask};
use jampin_core::mesh::{MeshEnd, MeshTask};
use jampin_core::pin::Pin;
use jampin_core::solve::{Film, Solution, Unwatched};
use jampin_core::time::FrameRange;
use jampin_core::track::Track;
use jampin_media::{MediaError, StoredPlanes};

/// Where a pin is on every frame of a range: [`jampin_core::solve::solve`].
pub fn solve_stored(
    sources: &mut [StoredPlanes],
    film: Film<'_>,
    pin: &Pin,
    track: &Track,
    range: FrameRange,
) -> Result<Solution, MediaError> {
    jampin_core::solve::solve(sources, film, pin, track, range, &Unwatched)
}

/// Where a face is on every frame of a range: [`jampin_core::area::solve_area`].
pub fn solve_stored_area(source: &mut StoredPlanes, task: &AreaTask, part: FrameRange) -> Result<AreaEnd, MediaError> {
    jampin_core::area::solve_area(source, task, part, &mut ())
}

/// Where the knots of a surface that bends are on every frame of a range: [`jampin_core::mesh::solve_mesh`].
pub fn solve_stored_mesh(source: &mut StoredPlanes, task: &MeshTask, part: FrameRange) -> Result<MeshEnd, MediaError> {
    jampin_core::mesh::solve_mesh(source, task, part, &mut ())
}
