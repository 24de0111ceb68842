//! A lamp or the sun that dazzles the lens: a glow with rays, a streak, a ring, and ghosts that move against it.

use serde::{Deserialize, Serialize};

use super::settings::{NumberMut, SettingProblem, check_colour, check_number};
use crate::geometry::{Point, Size};

/// Where the ghosts are on the line from the source through the picture's middle: 0 is the middle, 1 the source's
/// mirror image. With their radius in shares of the glow's, and their strength.
const GHOSTS: [(f64, f64, f64); 8] = [
    (0.42, 0.16, 0.34),
    (0.78, 0.30, 0.22),
    (-0.45, 0.12, 0.30),
    (1.16, 0.22, 0.26),
    (1.55, 0.46, 0.14),
    (0.22, 0.08, 0.40),
    (-0.75, 0.20, 0.18),
    (1.95, 0.34, 0.12),
];

/// A flare.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Flare {
    /// Colour of its light as `#rrggbb`; the source itself is white.
    pub colour: String,
    /// Radius of the glow, in pixels.
    pub size: f64,
    /// Number of rays; 0 for none.
    pub rays: u32,
    /// Length of the level streak to each side, in shares of the glow's radius; 0 for none.
    pub streak: f64,
    /// Radius of the ring, in shares of the glow's radius; 0 for none.
    pub ring: f64,
    /// Number of ghosts, 8 at most.
    pub ghosts: u32,
    /// Where the source is, counted from the subject, in pixels.
    #[serde(default)]
    pub place: Point,
    /// It fades where the film's picture at the source gets darker than this luma, 0 to 1: something is in front;
    /// nothing to leave that alone.
    #[serde(default)]
    pub fades_below: Option<f64>,
}

/// A flare to start from.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct FlareLook {
    /// Its name, in plain words.
    pub name: &'static str,
    /// What it is.
    pub flare: Flare,
}

/// One piece of a flare: everything that has to be known to draw it, and nothing about where.
#[derive(Clone, Debug, PartialEq)]
pub struct FlarePart {
    /// What it is.
    pub kind: FlarePartKind,
    /// Colour as `#rrggbb`.
    pub colour: String,
    /// Half of its width and height, in pixels.
    pub reach: (f64, f64),
}

/// The pieces of a flare.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FlarePartKind {
    /// The source, and the light round it.
    Glow,
    /// Rays all round.
    Rays(u32),
    /// A level streak.
    Streak,
    /// A ring.
    Ring,
    /// A mirror image inside the lens.
    Ghost,
}

impl Flare {
    /// Looks to start from, in a picture of this size.
    pub fn looks(picture: Size) -> Vec<FlareLook> {
        let size = f64::from(picture.height.min(picture.width)) / 6.0;
        let look = |name, colour: &str, share: f64, rays, streak, ring, ghosts| FlareLook {
            name,
            flare: Flare {
                colour: colour.into(),
                size: (share * size).round().max(4.0),
                rays,
                streak,
                ring,
                ghosts,
                place: Point::default(),
                fades_below: None,
            },
        };
        vec![
            look("headlamp", "#ffd9a0", 1.0, 14, 2.6, 0.0, 4),
            look("low sun", "#ffc46b", 1.7, 22, 0.0, 1.25, 7),
            look("cold lamp", "#a8cfff", 0.8, 6, 3.6, 0.0, 3),
            look("lantern", "#ffb060", 0.7, 0, 0.0, 0.0, 0),
        ]
    }

    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        check_colour(&self.colour)?;
        check_number("the size of the flare", self.size, 2.0, 4000.0)?;
        check_number("the number of rays", f64::from(self.rays), 0.0, 60.0)?;
        check_number("the length of the streak", self.streak, 0.0, 20.0)?;
        check_number("the radius of the ring", self.ring, 0.0, 10.0)?;
        check_number("the number of ghosts", f64::from(self.ghosts), 0.0, GHOSTS.len() as f64)?;
        check_number("the place across", self.place.x, -1e5, 1e5)?;
        check_number("the place down", self.place.y, -1e5, 1e5)?;
        check_number("the brightness below which it fades", self.fades_below.unwrap_or(0.0), 0.0, 1.0)
    }

    /// The number at an address.
    pub(super) fn number(&mut self, address: &str) -> Option<NumberMut<'_>> {
        Some(match address {
            "size" => NumberMut::Real(&mut self.size),
            "rays" => NumberMut::Whole(&mut self.rays),
            "streak" => NumberMut::Real(&mut self.streak),
            "ring" => NumberMut::Real(&mut self.ring),
            "ghosts" => NumberMut::Whole(&mut self.ghosts),
            "place.x" => NumberMut::Real(&mut self.place.x),
            "place.y" => NumberMut::Real(&mut self.place.y),
            "fades_below" => NumberMut::Real(self.fades_below.as_mut()?),
            _ => return None,
        })
    }

    /// Its pieces, from back to front: each with its strength, and where it is on the line from the source (none)
    /// through the middle.
    pub(crate) fn parts(&self) -> Vec<(FlarePart, f64, Option<f64>)> {
        let part = |kind, width: f64, height: f64| FlarePart {
            kind,
            colour: self.colour.clone(),
            reach: (width * self.size, height * self.size),
        };
        let ghosts = GHOSTS.iter().take(self.ghosts as usize);
        let ghosts = ghosts
            .map(|&(along, radius, strength)| (part(FlarePartKind::Ghost, radius, radius), strength, Some(along)));
        let ring = (self.ring > 0.0).then(|| (part(FlarePartKind::Ring, self.ring, self.ring), 0.35, None));
        let streak = (self.streak > 0.0).then(|| (part(FlarePartKind::Streak, self.streak, 0.09), 0.8, None));
        let rays = (self.rays > 0).then(|| (part(FlarePartKind::Rays(self.rays), 1.0, 1.0), 0.55, None));
        let glow = (part(FlarePartKind::Glow, 1.0, 1.0), 1.0, None);
        ghosts.chain(ring).chain(streak).chain(rays).chain([glow]).collect()
    }
}
