//! The pieces of a flare as artwork.

use std::fmt::Write;

use jampin_core::attachment::{FlarePart, FlarePartKind};

/// Stops of light falling off from a source: place, strength. Close to an inverse square with a soft end.
const FALL: [(f64, f64); 6] = [(0.0, 1.0), (0.08, 0.85), (0.2, 0.42), (0.4, 0.16), (0.7, 0.04), (1.0, 0.0)];
/// A ring, and a ghost: a disc with a brighter rim.
const RING: [(f64, f64); 5] = [(0.0, 0.0), (0.84, 0.0), (0.93, 1.0), (0.97, 0.5), (1.0, 0.0)];
const GHOST: [(f64, f64); 4] = [(0.0, 0.45), (0.8, 0.7), (0.95, 1.0), (1.0, 0.0)];

/// SVG of one piece: as large as twice its reach.
pub(crate) fn flare_svg(part: &FlarePart) -> String {
    let (across, down) = part.reach;
    let (width, height) = (2.0 * across, 2.0 * down);
    let mut svg = format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}">"#);
    let oval = format!(r#"<ellipse cx="{across}" cy="{down}" rx="{across}" ry="{down}" fill="url(#light)"/>"#);
    match part.kind {
        FlarePartKind::Glow => svg.push_str(&(gradient(&FALL, &part.colour, true) + &oval)),
        FlarePartKind::Streak => svg.push_str(&(gradient(&FALL, &part.colour, false) + &oval)),
        FlarePartKind::Ring => svg.push_str(&(gradient(&RING, &part.colour, false) + &oval)),
        FlarePartKind::Ghost => svg.push_str(&(gradient(&GHOST, &part.colour, false) + &oval)),
        FlarePartKind::Rays(count) => {
            svg.push_str(&gradient(&FALL, &part.colour, false));
            let path = rays(count, across);
            write!(svg, r#"<path d="{path}" fill="url(#light)"/>"#).expect("writing to a string does not fail");
        }
    }
    svg.push_str("</svg>");
    svg
}

/// A radial gradient over the whole; a source is white in its middle.
fn gradient(stops: &[(f64, f64)], colour: &str, is_source: bool) -> String {
    let mut out =
        String::from(r#"<radialGradient id="light" gradientUnits="objectBoundingBox" cx="0.5" cy="0.5" r="0.5">"#);
    for (i, (offset, strength)) in stops.iter().enumerate() {
        let colour = if is_source && i < 2 { "#ffffff" } else { colour };
        write!(out, r#"<stop offset="{offset}" stop-color="{colour}" stop-opacity="{strength}"/>"#)
            .expect("writing to a string does not fail");
    }
    out.push_str("</radialGradient>");
    out
}

/// Thin triangles from the middle outward, every second one shorter; the same on every run.
fn rays(count: u32, reach: f64) -> String {
    let mut path = String::new();
    for i in 0..count {
        let angle = std::f64::consts::TAU * (f64::from(i) + 0.31) / f64::from(count);
        let length = reach * if i % 2 == 0 { 0.98 } else { 0.62 - 0.07 * f64::from(i % 3) };
        let half = 0.35 / f64::from(count).max(8.0);
        let end =
            |turn: f64, length: f64| (reach + length * (angle + turn).cos(), reach + length * (angle + turn).sin());
        let (tip, left, right) = (end(0.0, length), end(-half, 0.12 * length), end(half, 0.12 * length));
        write!(path, "M{reach} {reach}L{} {}L{} {}L{} {}Z", left.0, left.1, tip.0, tip.1, right.0, right.1)
            .expect("writing to a string does not fail");
    }
    path
}
