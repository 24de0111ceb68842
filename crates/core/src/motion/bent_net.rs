//! A surface that bends: where the knots of its net are on each frame.

use std::collections::BTreeMap;

use uuid::Uuid;

use super::{Match, fit_most};
use crate::geometry::Point;
use crate::mesh::Net;
use crate::time::Frame;
use crate::track::{Covariance, Grasp, MotionModel, Sample, SampleState, Track};

/// Share of the knots that have to be seen for the surface to count as there.
const LEAST_SEEN: f64 = 0.2;
/// How sure a place is that is said by all knots together, in squared pixels: a surface that bends is no flat face.
const ROUGH: f64 = 0.25;

/// Where a surface that bends takes some points of the picture in which it was drawn, as the flat face that comes nearest
/// to its knots. `None` where they lie on a line.
pub fn flattened(net: &Net, knots: &[Sample], points: &[Point]) -> Option<Vec<Sample>> {
    let covariance = Covariance::new([ROUGH, 0.0, ROUGH]);
    let pair = |(from, to): (&Point, &Sample)| Match { from: *from, to: to.at, covariance };
    let matches: Vec<Match> = net.knots.iter().zip(knots).map(pair).collect();
    let map = fit_most(MotionModel::Perspective, &matches)?.map;
    let seen = knots.iter().filter(|knot| knot.state.is_present()).count() as f64;
    let is_seen = seen >= LEAST_SEEN * knots.len() as f64;
    let unseen = knots.first().map_or(SampleState::Hidden, |knot| knot.state);
    let state = match (is_seen, unseen) {
        (true, _) => SampleState::Found,
        (false, SampleState::Outside) => SampleState::Outside,
        (false, _) => SampleState::Hidden,
    };
    let matched = knots.iter().map(|knot| knot.matched).fold(0.0, f64::max);
    // All of them are rough, or none is.
    let rough = knots.iter().find(|knot| knot.state.is_present() && knot.grasp == Grasp::Rough);
    let (grasp, covariance) = rough.map_or((Grasp::Exact, covariance), |knot| (Grasp::Rough, knot.covariance));
    let sample =
        |at: &Point| Sample { solved: true, grasp, ..Sample::bare(map.apply(*at), matched, covariance, state) };
    Some(points.iter().map(sample).collect())
}

/// The net of an area over a shot.
#[derive(Clone, Debug, PartialEq)]
pub struct BentNet {
    /// Which area it lies over.
    pub area: Uuid,
    /// The net as it was drawn.
    pub net: Net,
    /// Its knots, by frame.
    frames: BTreeMap<Frame, Vec<Point>>,
}

impl BentNet {
    /// From the samples of each knot. On frames on which a knot is not seen it is where the others take it; a frame that
    /// not all of them know is none.
    pub fn new(area: Uuid, net: Net, tracks: &[&Track]) -> Self {
        let Some((first, others)) = tracks.split_first() else { return Self { area, net, frames: BTreeMap::new() } };
        let of_all = |(frame, sample): (Frame, Sample)| {
            let others = others.iter().map(|track| Some(track.get(frame)?.at));
            let at: Option<Vec<Point>> = std::iter::once(Some(sample.at)).chain(others).collect();
            Some((frame, at?))
        };
        Self { area, net, frames: first.iter().filter_map(of_all).collect() }
    }

    /// Where its knots are on a frame.
    pub fn on(&self, frame: Frame) -> Option<&[Point]> {
        self.frames.get(&frame).map(Vec::as_slice)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::area::Outline;
    use crate::geometry::Homography;

    fn net() -> Net {
        let corners = [(100.0, 80.0), (300.0, 80.0), (300.0, 200.0), (100.0, 200.0)];
        Net::over(&Outline(corners.map(|(x, y)| Point::new(x, y)).into()), 30.0)
    }

    #[test]
    fn the_flat_face_is_that_of_the_knots_and_says_whether_they_are_seen() {
        let net = net();
        let map = Homography::new([[1.1, 0.1, 7.0], [-0.05, 0.9, -3.0], [1e-4, -2e-4, 1.0]]);
        let seen = |count: usize| -> Vec<Sample> {
            let state = |i: usize| if i < count { SampleState::Found } else { SampleState::Hidden };
            let knots = net.knots.iter().rev().enumerate();
            let mut all: Vec<Sample> =
                knots.map(|(i, knot)| Sample::bare(map.apply(*knot), 0.9, Covariance::default(), state(i))).collect();
            all.reverse();
            all
        };
        let at = Point::new(150.0, 120.0);
        let whole = flattened(&net, &seen(net.knots.len()), &[at]).unwrap()[0];
        assert!(whole.at.distance(map.apply(at)) < 1e-6 && whole.state == SampleState::Found, "{whole:?}");
        assert_eq!(flattened(&net, &seen(2), &[at]).unwrap()[0].state, SampleState::Hidden);
    }

    #[test]
    fn a_net_is_known_where_all_of_its_knots_are() {
        let net = net();
        let track = |frames: &[u32]| -> Track {
            frames.iter().map(|frame| (Frame(*frame), Sample::guide(Point::new(1.0, 2.0)))).collect()
        };
        let (whole, part) = (track(&[3, 4, 5]), track(&[4, 5, 6]));
        let tracks: Vec<&Track> = (0..net.knots.len()).map(|i| if i == 7 { &part } else { &whole }).collect();
        let bent = BentNet::new(Uuid::nil(), net, &tracks);
        let known: Vec<u32> = (0..9).filter(|frame| bent.on(Frame(*frame)).is_some()).collect();
        assert_eq!(known, [4, 5]);
    }
}
