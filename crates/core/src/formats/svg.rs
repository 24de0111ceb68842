//! A shot's graphics as an animated SVG.
//!
//! # Source
//! W3C, *Scalable Vector Graphics (SVG) 1.1*, chapter 19 (SMIL animation): `animate` and `animateTransform` with
//! `calcMode="discrete"`.

use std::fmt::Write;

use super::drawable_tracks::{DecomposedTransform, DrawableTrack, DrawnArt, drawable_tracks};
use crate::attachment::{Blend, CoverEffect};
use crate::geometry::{Point, Size};
use crate::scene::{Drawable, Primitive, Scene};
use crate::time::FrameRange;

/// The graphics of a shot as SVG that plays by itself, once, each frame for as long as the film shows it.
///
/// `times`: when each frame of the range begins, and when the last ends, in microseconds from the first. What needs the
/// film's own picture (blur, mosaic, what stands in front) is left out; a picture in perspective is laid as it is in
/// its middle.
pub fn animated_svg(scene: &Scene, range: FrameRange, times: &[i64], size: Size, art: &[DrawnArt]) -> String {
    let clock = Clock::new(times);
    let Size { width, height } = size;
    let mut svg = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="{width}"
            height="{height}" viewBox="0 0 {width} {height}">"#
    );
    for track in drawable_tracks(scene, range) {
        push_strand(&mut svg, &track, &clock, art);
    }
    svg.push_str("</svg>\n");
    svg
}

/// When values change.
struct Clock {
    seconds: f64,
    shares: Vec<f64>,
}

impl Clock {
    fn new(times: &[i64]) -> Self {
        let (first, last) = (times.first().copied().unwrap_or(0), times.last().copied().unwrap_or(0));
        let whole = (last - first).max(1) as f64;
        let shares = times[..times.len().saturating_sub(1)].iter().map(|at| (at - first) as f64 / whole).collect();
        Self { seconds: whole / 1e6, shares }
    }

    /// An animation through values, one a frame; those that are as the one before are left out. `None` when all are the
    /// same.
    fn animation(&self, head: &str, values: &[String]) -> Option<String> {
        let changes: Vec<usize> = (0..values.len()).filter(|&i| i == 0 || values[i] != values[i - 1]).collect();
        if changes.len() < 2 {
            return None;
        }
        let list = |text: &dyn Fn(usize) -> String| changes.iter().map(|&i| text(i)).collect::<Vec<_>>().join(";");
        let (values, shares) = (list(&|i| values[i].clone()), list(&|i| number(self.shares[i])));
        let seconds = number(self.seconds);
        Some(format!(
            r#"<{head} calcMode="discrete" dur="{seconds}s" fill="freeze" keyTimes="{shares}" values="{values}"/>"#
        ))
    }
}

/// At most six decimals, none that say nothing.
fn number(value: f64) -> String {
    let text = format!("{value:.6}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

fn push_strand(svg: &mut String, track: &DrawableTrack, clock: &Clock, art: &[DrawnArt]) {
    let Some(sample) = track.sample() else { return };
    let Some(inside) = inside(track, sample, clock, art) else { return };
    let opacities: Vec<String> = track.opacities().into_iter().map(number).collect();
    let blend = match sample.blend {
        Blend::Normal => "",
        Blend::Multiply => r#" style="mix-blend-mode:multiply""#,
        Blend::Screen => r#" style="mix-blend-mode:screen""#,
        Blend::Overlay => r#" style="mix-blend-mode:overlay""#,
        Blend::Add => r#" style="mix-blend-mode:plus-lighter""#,
    };
    let animation = clock.animation(r#"animate attributeName="opacity""#, &opacities).unwrap_or_default();
    let opacity = &opacities[0];
    write!(svg, r#"<g opacity="{opacity}"{blend}>{animation}{inside}</g>"#).expect("writing to a string does not fail");
}

fn inside(track: &DrawableTrack, sample: &Drawable, clock: &Clock, art: &[DrawnArt]) -> Option<String> {
    match &sample.primitive {
        Primitive::Artwork { art: which, .. } | Primitive::Flat { art: which, .. } => {
            let drawn = art.get(*which)?;
            Some(laid(track, drawn, clock))
        }
        Primitive::Line { width, colour, .. } => Some(path(track, clock, None, 0.0, &stroke(*width, colour, true))),
        Primitive::Stroke { width, colour, round, blur, .. } => {
            Some(path(track, clock, None, *blur, &stroke(*width, colour, *round)))
        }
        Primitive::Area { colour, blur, .. } | Primitive::Specks { colour, blur, .. } => {
            Some(path(track, clock, None, *blur, &format!(r#"fill="{colour}""#)))
        }
        Primitive::Cover { effect: CoverEffect::Plain(colour), feather, inside_out, .. } => {
            // Everything but: the whole of any picture, then the outline, by the even-odd rule.
            let whole = inside_out.then_some("M-20000 -20000H40000V40000H-20000Z");
            Some(path(track, clock, whole, *feather, &format!(r#"fill="{colour}" fill-rule="evenodd""#)))
        }
        Primitive::Cover { .. } | Primitive::Foreground { .. } | Primitive::ClipFrame { .. } | Primitive::Bent(_) => {
            None
        }
    }
}

fn stroke(width: f64, colour: &str, round: bool) -> String {
    let cap = if round { "round" } else { "butt" };
    format!(r#"fill="none" stroke="{colour}" stroke-width="{width}" stroke-linejoin="round" stroke-linecap="{cap}""#)
}

/// Artwork under its map: moved, turned, leaned and sized by one animation each.
fn laid(track: &DrawableTrack, art: &DrawnArt, clock: &Clock) -> String {
    let places: Vec<DecomposedTransform> = track
        .every(|drawable| DecomposedTransform::of(&drawable.primitive, (art.width, art.height)))
        .into_iter()
        .flatten()
        .collect();
    let values = |value: &dyn Fn(&DecomposedTransform) -> String| places.iter().map(value).collect::<Vec<_>>();
    let moved = values(&|laid| format!("{} {}", number(laid.at.x), number(laid.at.y)));
    let turned = values(&|laid| number(laid.rotation));
    let leaned = values(&|laid| number(laid.skew));
    let sized = values(&|laid| format!("{} {}", number(laid.size[0]), number(laid.size[1])));
    let mut transform = String::new();
    let mut ends = 0;
    // Each of these stands alone: several animations of one transform would add up to what they began with.
    for (name, values) in [("translate", moved), ("rotate", turned), ("skewX", leaned), ("scale", sized)] {
        let animation =
            clock.animation(&format!(r#"animateTransform attributeName="transform" type="{name}""#), &values);
        let first = &values[0];
        write!(transform, r#"<g transform="{name}({first})">{}"#, animation.unwrap_or_default())
            .expect("writing to a string does not fail");
        ends += 1;
    }
    transform + &art.svg + &"</g>".repeat(ends)
}

/// A path that changes from frame to frame.
fn path(track: &DrawableTrack, clock: &Clock, before: Option<&str>, blur: f64, look: &str) -> String {
    let values = track.every(|drawable| before.unwrap_or_default().to_owned() + &path_data(&drawable.primitive));
    let animation = clock.animation(r#"animate attributeName="d""#, &values).unwrap_or_default();
    let filter = if blur > 0.0 { format!(r#" style="filter:blur({}px)""#, number(blur)) } else { String::new() };
    format!(r#"<path d="{}" {look}{filter}>{animation}</path>"#, values[0])
}

fn path_data(shape: &Primitive) -> String {
    let line = |points: &[Point], closed: bool| {
        let places: Vec<String> = points.iter().map(|at| format!("{} {}", number(at.x), number(at.y))).collect();
        format!("M{}{}", places.join("L"), if closed { "Z" } else { "" })
    };
    match shape {
        Primitive::Line { from, to, .. } => line(&[*from, *to], false),
        Primitive::Stroke { lines, closed, .. } => lines.iter().map(|points| line(points, *closed)).collect(),
        Primitive::Area { rings, .. } | Primitive::Cover { rings, .. } | Primitive::Foreground { rings, .. } => {
            rings.iter().map(|ring| line(ring, true)).collect()
        }
        Primitive::Specks { specks, .. } => specks.iter().map(|speck| line(&speck.ring(), true)).collect(),
        Primitive::Artwork { .. } | Primitive::Flat { .. } | Primitive::ClipFrame { .. } | Primitive::Bent(_) => {
            String::new()
        }
    }
}
