//! The areas of `pins.json`.

use serde::Deserialize;
use thiserror::Error;

use crate::area::{AreaTask, Outline};
use crate::document::{DocumentProblem, DrawnOutline, check_face};
use crate::geometry::{Homography, Point, Size};
use crate::mesh::{LEAST_SPACING, MOST_SPACING};
use crate::motion::{Match, fit_most};
use crate::time::{Frame, FrameRange};
use crate::track::{Covariance, MotionModel};

/// One area as asked for.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct AreaRequest {
    /// Name in the results, followed by the number of a point: `gable/0`.
    pub name: String,
    /// Frame on which it is outlined.
    pub frame: Frame,
    /// The points round it, in order, in pixels.
    pub outline: Vec<[f64; 2]>,
    /// How much of the motion counts; nothing for as little as explains it.
    #[serde(default)]
    pub motion: Option<MotionModel>,
    /// What is left out, on the same frame.
    #[serde(default)]
    pub keep_outs: Vec<OutlineRequest>,
    /// Where the outline is on other frames, as set by hand.
    #[serde(default)]
    pub guides: Vec<OutlineOnFrame>,
    /// Pixels between the knots of a net that is laid over it: it bends. Nothing for a flat face.
    #[serde(default)]
    pub knots: Option<f64>,
}

/// A closed line.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OutlineRequest {
    /// The points, in order, in pixels.
    pub outline: Vec<[f64; 2]>,
}

/// The area's outline on another frame: the same points in the same order.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OutlineOnFrame {
    /// On this frame.
    pub frame: Frame,
    /// The points, in pixels.
    pub outline: Vec<[f64; 2]>,
}

/// Why an area cannot be followed as asked for.
#[derive(Debug, Error)]
pub enum AreaProblem {
    /// It is no outline that could be followed.
    #[error(transparent)]
    Outline(#[from] DocumentProblem),
    /// It is not in the picture.
    #[error("the outline lies outside of the picture of {width} x {height} pixels", width = .0.width, height = .0.height)]
    Outside(Size),
    /// A guide is no other place of the same outline.
    #[error("the guide on frame {0} has to have the outline's own points, in the same order, and hold something")]
    Guide(Frame),
    /// The knots are too near to each other, or there are next to none.
    #[error("the knots are {0} pixels apart; it has to be between {LEAST_SPACING} and {MOST_SPACING}")]
    Knots(f64),
    /// It is on a frame that is not looked at.
    #[error("frame {frame} is not in {}..{}", range.first, range.last)]
    Frame {
        /// Which.
        frame: Frame,
        /// What is looked at.
        range: FrameRange,
    },
}

impl AreaRequest {
    /// What is to be followed, in pictures of this size and frames of this range.
    pub fn checked(&self, size: Size, range: FrameRange) -> Result<AreaTask, AreaProblem> {
        let frames = std::iter::once(self.frame).chain(self.guides.iter().map(|guide| guide.frame));
        if let Some(frame) = frames.into_iter().find(|frame| !range.contains(*frame)) {
            return Err(AreaProblem::Frame { frame, range });
        }
        if let Some(knots) = self.knots.filter(|knots| !(LEAST_SPACING..=MOST_SPACING).contains(knots)) {
            return Err(AreaProblem::Knots(knots));
        }
        let outline = checked(&self.outline)?;
        let seen = outline.bounds().is_some_and(|bounds| {
            bounds.right > 0.0
                && bounds.bottom > 0.0
                && bounds.left < f64::from(size.width)
                && bounds.top < f64::from(size.height)
        });
        if !seen {
            return Err(AreaProblem::Outside(size));
        }
        let left_out = self.keep_outs.iter().map(|out| checked(&out.outline)).collect::<Result<_, _>>()?;
        let guides = self.guides.iter().map(|guide| {
            let map = moved(&outline, &guide.outline).ok_or(AreaProblem::Guide(guide.frame))?;
            Ok((guide.frame, map))
        });
        let guides = guides.collect::<Result<_, AreaProblem>>()?;
        Ok(AreaTask { left_out, motion: self.motion, guides, ..AreaTask::new(self.frame, outline) })
    }
}

fn checked(points: &[[f64; 2]]) -> Result<Outline, AreaProblem> {
    let drawn = DrawnOutline::straight(points.iter().map(|[x, y]| Point::new(*x, *y)).collect());
    check_face(&drawn)?;
    Ok(drawn.polygon())
}

/// The map that takes an outline to other places of its points.
fn moved(outline: &Outline, to: &[[f64; 2]]) -> Option<Homography> {
    let to = checked(to).ok().filter(|to| to.0.len() == outline.0.len())?;
    let sure = Covariance::new([1.0, 0.0, 1.0]);
    let pair = |(from, to): (&Point, &Point)| Match { from: *from, to: *to, covariance: sure };
    let matches: Vec<Match> = outline.0.iter().zip(&to.0).map(pair).collect();
    Some(fit_most(MotionModel::of_pins(matches.len()), &matches)?.map)
}

#[cfg(test)]
mod tests {
    use super::*;

    const SIZE: Size = Size::new(640, 360);
    const RANGE: FrameRange = FrameRange { first: Frame(0), last: Frame(99) };

    fn read(text: &str) -> AreaRequest {
        serde_json::from_str(text).unwrap()
    }

    #[test]
    fn an_area_is_read_with_what_is_left_out_and_its_guides() {
        let area = read(
            r#"{"name":"gable","frame":3,"outline":[[100,50],[300,50],[300,200],[100,200]],"motion":"perspective",
                "keep_outs":[{"outline":[[150,100],[200,100],[200,150]]}],
                "guides":[{"frame":40,"outline":[[110,60],[310,60],[310,210],[110,210]]}]}"#,
        )
        .checked(SIZE, RANGE)
        .unwrap();
        assert_eq!((area.frame, area.motion), (Frame(3), Some(MotionModel::Perspective)));
        assert_eq!((area.outline.0.len(), area.left_out.len()), (4, 1));
        let there = area.guides[&Frame(40)].apply(Point::new(200.0, 100.0));
        assert!(there.distance(Point::new(210.0, 110.0)) < 1e-6, "{there:?}");
    }

    #[test]
    fn mistakes_are_explained() {
        let said = |text: &str| read(text).checked(SIZE, RANGE).unwrap_err().to_string();
        assert!(said(r#"{"name":"a","frame":0,"outline":[[0,0],[9,9]]}"#).contains("3 to 200 points"));
        assert!(said(r#"{"name":"a","frame":0,"outline":[[0,0],[9,9],[18,18]]}"#).contains("larger"));
        assert!(said(r#"{"name":"a","frame":0,"outline":[[0,0],[9e5,9],[18,9e5]]}"#).contains("smaller part"));
        assert!(said(r#"{"name":"a","frame":0,"outline":[[-90,0],[-9,9],[-9,80]]}"#).contains("outside"));
        assert!(said(r#"{"name":"a","frame":100,"outline":[[0,0],[90,9],[9,80]]}"#).contains("0..99"));
        assert!(
            said(r#"{"name":"a","frame":0,"outline":[[0,0],[90,9],[9,80]],"knots":2}"#).contains("between 6 and 400")
        );
        let guide =
            r#"{"name":"a","frame":0,"outline":[[0,0],[90,9],[9,80]],"guides":[{"frame":4,"outline":[[1,1]]}]}"#;
        assert!(said(guide).contains("frame 4"));
    }
}
