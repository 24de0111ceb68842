//! Sparks on one frame.

use super::drawable::{Drawable, Primitive};
use super::item_context::ItemContext;
use super::speck::Speck;
use super::stance::stance;
use crate::attachment::{Orientation, Sparks};
use crate::geometry::Point;
use crate::time::Frame;

/// Sparks of about the same age are painted together, in one colour: so many ages.
const AGES: usize = 8;
/// A spark smaller than this is not seen, in pixels.
const LEAST_RADIUS: f64 = 0.15;

/// One spark, alive on a frame.
struct Spark {
    at: Point,
    velocity: Point,
    /// Share of its life that is over.
    age: f64,
}

/// From old to young. `None` where nothing is alive.
pub(super) fn drawables(sparks: &Sparks, item: &ItemContext, frame: Frame) -> Option<Vec<Drawable>> {
    let mut ages: [Vec<Speck>; AGES] = Default::default();
    for spark in alive(sparks, item, frame) {
        let radius = sparks.size * (1.0 + (sparks.end_size - 1.0) * spark.age);
        if radius >= LEAST_RADIUS {
            ages[((spark.age * AGES as f64) as usize).min(AGES - 1)].push(speck(sparks, &spark, radius));
        }
    }
    let drawable = |(i, specks): (usize, Vec<Speck>)| {
        let age = (i as f64 + 0.5) / AGES as f64;
        let primitive = Primitive::Specks { specks, colour: colour_at(sparks, age), blur: sparks.softness };
        // Light goes out at the end of a life, not from its start.
        item.drawable(primitive, 1.0 - age * age)
    };
    let painted = ages.into_iter().enumerate().rev().filter(|(_, specks)| !specks.is_empty()).map(drawable);
    Some(painted.collect())
}

/// All that began not longer ago than the longest life: each from its own frame and number, nothing from the frames
/// between.
fn alive(sparks: &Sparks, item: &ItemContext, frame: Frame) -> Vec<Spark> {
    let births = frame.0.saturating_sub(sparks.longest_life())..=frame.0;
    births
        .flat_map(|birth| (0..born(sparks, birth)).filter_map(move |n| spark(sparks, item, (birth, n), frame)))
        .collect()
}

/// How many begin on a frame: as many as make the average so far.
fn born(sparks: &Sparks, birth: u32) -> u32 {
    let until = |frame: u32| (sparks.rate * f64::from(frame)).floor();
    (until(birth + 1) - until(birth)) as u32
}

fn spark(sparks: &Sparks, item: &ItemContext, (birth, n): (u32, u32), frame: Frame) -> Option<Spark> {
    let chance = |which: u32| chance(sparks.seed, birth, n, which);
    let life = sparks.life * (1.0 + (Sparks::LONGEST - 1.0) * (2.0 * chance(0) - 1.0));
    // Within its frame a spark begins at any time.
    let time = f64::from(frame.0 - birth) + 1.0 - chance(1);
    let began = Frame(birth);
    if time >= life || !item.spans.iter().any(|span| span.contains(began)) {
        return None;
    }
    let from = origin(sparks, item, if sparks.stays { began } else { frame }, chance(2))?;
    let angle = (sparks.direction + sparks.spread * (chance(3) - 0.5)).to_radians();
    let speed = sparks.speed * (0.5 + chance(4));
    let start = Point::new(angle.sin(), -angle.cos()) * speed;
    let at = from + start * time + Point::new(0.0, sparks.pull * time * time / 2.0);
    Some(Spark { at, velocity: start + Point::new(0.0, sparks.pull * time), age: time / life })
}

/// Where a spark sets off on a frame: the subject's place, or `share` of the way along the line through its corners.
fn origin(sparks: &Sparks, item: &ItemContext, frame: Frame, share: f64) -> Option<Point> {
    if sparks.corners.is_empty() {
        return Some(stance(&item.show.takes, Orientation::default(), &item.poses, frame)?.apply(sparks.place));
    }
    let back = sparks.corners.first().filter(|_| sparks.closed);
    let corners = sparks.corners.iter().chain(back).map(|corner| item.corner(*corner, frame));
    let corners: Vec<Point> = corners.collect::<Option<_>>()?;
    let length: f64 = corners.windows(2).map(|two| two[0].distance(two[1])).sum();
    let mut left = share * length;
    for two in corners.windows(2) {
        let part = two[0].distance(two[1]);
        if left <= part {
            return Some(two[0] + (two[1] - two[0]) * (left / part.max(1e-9)) + sparks.place);
        }
        left -= part;
    }
    corners.last().map(|last| *last + sparks.place)
}

/// A round bit, drawn out along its way.
fn speck(sparks: &Sparks, spark: &Spark, radius: f64) -> Speck {
    let speed = spark.velocity.length();
    let way = if speed > 1e-9 { spark.velocity * (1.0 / speed) } else { Point::new(1.0, 0.0) };
    Speck { at: spark.at, along: way * (radius + sparks.streak * speed / 2.0), radius }
}

/// Between both colours, in steps of brightness as they are stored.
fn colour_at(sparks: &Sparks, age: f64) -> String {
    let part = |colour: &str, i: usize| {
        f64::from(colour.get(1 + 2 * i..3 + 2 * i).and_then(|two| u8::from_str_radix(two, 16).ok()).unwrap_or(255))
    };
    let mixed = |i: usize| {
        let (from, to) = (part(&sparks.colour, i), part(&sparks.end_colour, i));
        (from + (to - from) * age).round() as u8
    };
    format!("#{:02x}{:02x}{:02x}", mixed(0), mixed(1), mixed(2))
}

/// Between 0 and 1, the same everywhere: SplitMix64 (Steele, Lea & Flood 2014) of what a spark is.
fn chance(seed: u32, birth: u32, n: u32, which: u32) -> f64 {
    let mut mixed = (u64::from(seed) << 32 | u64::from(birth))
        .wrapping_mul(0x9e37_79b9_7f4a_7c15)
        .wrapping_add((u64::from(n) << 8 | u64::from(which)).wrapping_mul(0xd1b5_4a32_d192_ed03));
    mixed = (mixed ^ (mixed >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    ((mixed ^ (mixed >> 31)) >> 11) as f64 / (1u64 << 53) as f64
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn as_many_begin_as_are_asked_for() {
        let sparks = Sparks { rate: 2.3, ..Sparks::default() };
        let all: u32 = (0..1000).map(|birth| born(&sparks, birth)).sum();
        assert_eq!(all, 2300);
    }

    #[test]
    fn chances_are_even_and_each_its_own() {
        let all: Vec<f64> = (0..20_000).map(|n| chance(7, n / 5, n % 5, n % 3)).collect();
        let mean = all.iter().sum::<f64>() / all.len() as f64;
        let variance = all.iter().map(|value| (value - mean).powi(2)).sum::<f64>() / all.len() as f64;
        // Of evenly spread numbers from 0 to 1: 1/2 and 1/12.
        assert!((mean - 0.5).abs() < 0.01 && (variance - 1.0 / 12.0).abs() < 0.002, "{mean} {variance}");
        assert_ne!(chance(7, 1, 0, 0), chance(8, 1, 0, 0));
    }

    #[test]
    fn colours_go_from_the_first_to_the_last() {
        let sparks = Sparks { colour: "#ffffff".into(), end_colour: "#ff0000".into(), ..Sparks::default() };
        assert_eq!((colour_at(&sparks, 0.0), colour_at(&sparks, 1.0)), ("#ffffff".into(), "#ff0000".into()));
        assert_eq!(colour_at(&sparks, 0.5), "#ff8080");
    }
}
