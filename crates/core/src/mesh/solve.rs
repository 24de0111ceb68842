//! A surface that bends over a whole shot.

use std::collections::BTreeMap;

use super::chain::Chain;
use super::net::Net;
use super::surface::Surface;
use super::task::{MeshEnd, MeshTask, MeshWatch};
use crate::area::{Face, Subject};
use crate::image::{AnySource, FrameSource, Lost, with_any};
use crate::locate::Film;
use crate::time::Frame;
use crate::track::Sample;

/// Follows a surface through a part of a film, both ways from the frame on which it was outlined.
pub fn solve_mesh<S: FrameSource>(
    source: &mut S,
    film: Film<'_>,
    task: &MeshTask,
    watch: &mut dyn MeshWatch,
) -> Result<MeshEnd, S::Error> {
    with_any(source, |source| solved(source, film, task, watch))
}

/// Of one type, so that it is compiled here.
fn solved(
    source: &mut AnySource<'_>,
    film: Film<'_>,
    task: &MeshTask,
    watch: &mut dyn MeshWatch,
) -> Result<MeshEnd, Lost> {
    let MeshTask { area, spacing } = task;
    let net = Net::over(&area.outline, *spacing);
    let left_out = [area.left_out.clone(), area.kept_out(area.frame)].concat();
    let face = Face::pick(source, area.frame, &area.outline, &left_out)?;
    let Some(face) = face.filter(|face| !face.by_edge && !net.triangles.is_empty()) else { return Ok(MeshEnd::Flat) };
    let subject = Subject::find(source, film, area, &mut || watch.located().is_continue())?;
    let Some(subject) = subject else { return Ok(MeshEnd::Stopped) };
    let surface = Surface::new(net, face);
    let home = surface.net.knots.iter().map(|knot| Sample::guide(*knot)).collect();
    let mut frames = BTreeMap::from([(area.frame, home)]);
    let after = area.frame.0 + 1..=film.part.last.0;
    let before = (film.part.first.0..area.frame.0).rev();
    for way in [after.collect::<Vec<u32>>(), before.collect()] {
        let mut chain = Chain::new(&surface, area, &subject);
        for frame in way.into_iter().map(Frame) {
            let knots = chain.step(source, frame)?;
            if watch.placed(frame, &knots).is_break() {
                return Ok(MeshEnd::Stopped);
            }
            frames.insert(frame, knots);
        }
    }
    Ok(MeshEnd::Solved(surface.net, frames))
}
