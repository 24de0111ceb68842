//! A surface that bends over a whole shot.

use std::collections::BTreeMap;
use std::ops::ControlFlow;

use super::chain::Chain;
use super::net::Net;
use super::surface::Surface;
use super::task::{MeshEnd, MeshTask, MeshWatch};
use crate::area::{Face, Halt, Subject, not_looked_at};
use crate::image::{AnySource, FrameSource, Lost, with_any};
use crate::locate::Film;
use crate::time::{Frame, FrameRange};
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
    let mut area = area.within(film.filmed(source.size()), source.size());
    // It is followed all the way from where it was outlined.
    area.only = area
        .only
        .map(|FrameRange { first, last }| FrameRange { first: first.min(area.frame), last: last.max(area.frame) });
    let area = &area;
    let net = Net::over(&area.outline, *spacing);
    let left_out = [area.left_out.clone(), area.kept_out(area.frame)].concat();
    let face = Face::pick(source, area.frame, &area.outline, &left_out)?;
    let Some(face) = face.filter(|face| !face.by_edge && !net.triangles.is_empty()) else { return Ok(MeshEnd::Flat) };
    let subject = Subject::find(source, film, area, &mut || watch.located().is_continue())?;
    let Some(subject) = subject else { return Ok(MeshEnd::Stopped) };
    let surface = Surface::new(net, face);
    let home = surface.net.knots.iter().map(|knot| Sample::guide(*knot)).collect();
    let mut walk = Walk { source, watch, chain: Chain::new(&surface, area, &subject), knots: BTreeMap::new() };
    walk.knots.insert(area.frame, home);
    let after = (area.frame.0 + 1..=film.part.last.0).map(Frame).collect::<Vec<_>>();
    let before = (film.part.first.0..area.frame.0).rev().map(Frame).collect::<Vec<_>>();
    let asked = |frames: Vec<Frame>| if area.asks_for(&frames) { frames } else { Vec::new() };
    match walk.along(&asked(after)).and_then(|()| {
        walk.chain = Chain::new(&surface, area, &subject);
        walk.along(&asked(before))
    }) {
        Ok(()) => Ok(MeshEnd::Solved(surface.net.clone(), walk.knots)),
        Err(Halt::Stopped) => Ok(MeshEnd::Stopped),
        Err(Halt::Source(error)) => Err(error),
    }
}

/// One way and the other from the frame on which it was outlined.
struct Walk<'a, 'b> {
    source: &'a mut AnySource<'b>,
    watch: &'a mut dyn MeshWatch,
    chain: Chain<'a>,
    knots: BTreeMap<Frame, Vec<Sample>>,
}

impl Walk<'_, '_> {
    fn along(&mut self, frames: &[Frame]) -> Result<(), Halt<Lost>> {
        for (i, frame) in frames.iter().enumerate() {
            let skipped = not_looked_at(self.chain.hidden());
            let knots = self.step(*frame)?;
            self.knots.insert(*frame, knots);
            if self.chain.hidden() == 0 && skipped > 0 {
                let here = self.chain.clone();
                self.back(&frames[i - skipped..i])?;
                self.chain = here;
            }
        }
        Ok(())
    }

    /// From where it is seen again over frames that were not looked at, as far as it is seen there.
    fn back(&mut self, missed: &[Frame]) -> Result<(), Halt<Lost>> {
        for frame in missed.iter().rev() {
            let knots = self.step(*frame)?;
            if self.chain.hidden() > 0 {
                break;
            }
            self.knots.insert(*frame, knots);
        }
        Ok(())
    }

    fn step(&mut self, frame: Frame) -> Result<Vec<Sample>, Halt<Lost>> {
        let knots = self.chain.step(self.source, frame)?;
        match self.watch.placed(frame, &knots) {
            ControlFlow::Continue(()) => Ok(knots),
            ControlFlow::Break(()) => Err(Halt::Stopped),
        }
    }
}
