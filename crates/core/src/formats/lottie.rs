//! A shot's graphics as a Lottie animation.
//!
//! # Source
//! Lottie Animation Community, *Lottie Animation Format Specification 1.0*: shape and image layers, transforms,
//! keyframed properties.

use serde_json::{Value, json};

use super::drawable_tracks::{Contour, DecomposedTransform, DrawableTrack, DrawnArt, Outlined, drawable_tracks};
use crate::attachment::Blend;
use crate::geometry::{Point, Size};
use crate::scene::{Drawable, Primitive, Scene, Speck};
use crate::time::{FrameRange, Rational};

/// The graphics of a shot as Lottie JSON, a keyframe a frame.
///
/// Labels and boundary lines are shapes; flares and pictures are embedded pictures; a picture in perspective is laid as
/// it is in its middle. What Lottie cannot express is left out: blur, shadows, covers other than plain ones, what
/// stands in front, blur from motion.
pub fn lottie(scene: &Scene, range: FrameRange, rate: Rational, size: Size, art: &[DrawnArt]) -> Value {
    let count = range.count();
    let mut layers: Vec<Value> = Vec::new();
    for track in drawable_tracks(scene, range) {
        if let Some(layer) = layer(&track, count, layers.len(), art) {
            layers.push(layer);
        }
    }
    // The first of the list lies in front.
    layers.reverse();
    let image = |(i, art): (usize, &DrawnArt)| {
        (!art.image.is_empty()).then(
            || json!({ "id": format!("image{i}"), "w": art.width, "h": art.height, "u": "", "p": art.image, "e": 1 }),
        )
    };
    let assets: Vec<Value> = art.iter().enumerate().filter_map(image).collect();
    json!({
        "v": "5.9.0", "ver": 10000, "fr": rate.as_f64(), "ip": 0, "op": count, "w": size.width, "h": size.height, "ddd": 0,
        "assets": assets, "layers": layers,
    })
}

fn layer(track: &DrawableTrack, count: u32, index: usize, art: &[DrawnArt]) -> Option<Value> {
    let sample = track.sample()?;
    let opacity = property(track.opacities().into_iter().map(|value| vec![100.0 * value]).collect());
    let still = json!({ "o": opacity, "p": fixed(&[0.0, 0.0]), "a": fixed(&[0.0, 0.0]), "s": fixed(&[100.0, 100.0]), "r": fixed(&[0.0]) });
    let (kind, transform) = match &sample.primitive {
        Primitive::Artwork { art: which, .. } | Primitive::Flat { art: which, .. } => {
            let drawn = art.get(*which)?;
            let transform = laid(track, drawn, &opacity);
            if drawn.outlines.is_empty() {
                (json!({ "ty": 2, "refId": format!("image{which}") }), transform)
            } else {
                let shapes: Vec<Value> = drawn.outlines.iter().rev().map(outlined).collect();
                (json!({ "ty": 4, "shapes": shapes }), transform)
            }
        }
        Primitive::Cover { inside_out: true, .. } | Primitive::Foreground { .. } => return None,
        shape => (json!({ "ty": 4, "shapes": [drawn(track, shape)?] }), still),
    };
    let mut layer = json!({
        "ind": index + 1, "ip": 0, "op": count, "st": 0, "sr": 1, "ks": transform, "bm": blend(sample.blend), "ao": 0, "ddd": 0,
    });
    layer.as_object_mut()?.extend(kind.as_object()?.clone());
    Some(layer)
}

fn blend(blend: Blend) -> u32 {
    match blend {
        Blend::Normal => 0,
        Blend::Multiply => 1,
        Blend::Screen => 2,
        Blend::Overlay => 3,
        Blend::Add => 16,
    }
}

fn laid(track: &DrawableTrack, art: &DrawnArt, opacity: &Value) -> Value {
    let places: Vec<DecomposedTransform> = track
        .every(|drawable| DecomposedTransform::of(&drawable.primitive, (art.width, art.height)))
        .into_iter()
        .flatten()
        .collect();
    let values = |value: &dyn Fn(&DecomposedTransform) -> Vec<f64>| property(places.iter().map(value).collect());
    json!({
        "o": opacity,
        "a": fixed(&[0.0, 0.0]),
        "p": values(&|laid| vec![laid.at.x, laid.at.y]),
        "r": values(&|laid| vec![laid.rotation]),
        "s": values(&|laid| vec![100.0 * laid.size[0], 100.0 * laid.size[1]]),
        "sk": values(&|laid| vec![-laid.skew]),
        "sa": fixed(&[0.0]),
    })
}

fn fixed(value: &[f64]) -> Value {
    if let [single] = value { json!({ "a": 0, "k": single }) } else { json!({ "a": 0, "k": value }) }
}

/// A value on every frame: keyframes that hold, where it changes.
fn property(values: Vec<Vec<f64>>) -> Value {
    let rounded: Vec<Vec<f64>> =
        values.into_iter().map(|value| value.into_iter().map(|v| (v * 1e4).round() / 1e4).collect()).collect();
    let changes: Vec<usize> = (0..rounded.len()).filter(|&i| i == 0 || rounded[i] != rounded[i - 1]).collect();
    match changes.as_slice() {
        [] => fixed(&[0.0]),
        [only] => fixed(&rounded[*only]),
        many => {
            let keys: Vec<Value> = many.iter().map(|&i| json!({ "t": i, "s": rounded[i], "h": 1 })).collect();
            json!({ "a": 1, "k": keys })
        }
    }
}

/// An outline that never changes, in a group of its own.
fn outlined(outline: &Outlined) -> Value {
    let mut items: Vec<Value> =
        outline.contours.iter().map(|contour| json!({ "ty": "sh", "ks": { "a": 0, "k": bezier(contour) } })).collect();
    items.push(painted(outline.colour, outline.stroke, true));
    group(items)
}

fn group(mut items: Vec<Value>) -> Value {
    items.push(json!({ "ty": "tr", "o": fixed(&[100.0]), "p": fixed(&[0.0, 0.0]), "a": fixed(&[0.0, 0.0]), "s": fixed(&[100.0, 100.0]), "r": fixed(&[0.0]) }));
    json!({ "ty": "gr", "it": items })
}

fn painted([r, g, b, alpha]: [f64; 4], stroke: Option<f64>, round: bool) -> Value {
    let (colour, opacity) = (fixed(&[r, g, b, 1.0]), fixed(&[100.0 * alpha]));
    match stroke {
        Some(width) => {
            json!({ "ty": "st", "c": colour, "o": opacity, "w": fixed(&[width]), "lc": if round { 2 } else { 1 }, "lj": 2 })
        }
        None => json!({ "ty": "fl", "c": colour, "o": opacity, "r": 1 }),
    }
}

fn bezier(contour: &Contour) -> Value {
    let part = |which: usize| contour.corners.iter().map(|corner| pair(corner[which])).collect::<Vec<_>>();
    json!({ "c": contour.closed, "v": part(0), "i": part(1), "o": part(2) })
}

fn pair(at: Point) -> [f64; 2] {
    [at.x, at.y].map(|value| (value * 1e3).round() / 1e3)
}

/// Lines or areas that change from frame to frame. A path of Lottie keeps its number of corners, and a layer its number
/// of paths: what there is less of on a frame is filled up with corners in one place.
fn drawn(track: &DrawableTrack, sample: &Primitive) -> Option<Value> {
    let (colour, stroke, round) = match sample {
        Primitive::Line { width, colour, .. } => (colour, Some(*width), true),
        Primitive::Stroke { width, colour, round, .. } => (colour, Some(*width), *round),
        Primitive::Area { colour, .. } | Primitive::Specks { colour, .. } => (colour, None, false),
        Primitive::Cover { effect: crate::attachment::CoverEffect::Plain(colour), .. } => (colour, None, false),
        _ => return None,
    };
    let every = track.every(lines);
    let paths = every.iter().map(|(lines, _)| lines.len()).max()?;
    let path = |which: usize| {
        let corners = every.iter().filter_map(|(lines, _)| lines.get(which)).map(Vec::len).max().unwrap_or(1).max(1);
        let mut keys: Vec<Value> = Vec::new();
        let mut before: Option<Value> = None;
        for (frame, (lines, closed)) in every.iter().enumerate() {
            let value = bezier(&filled(lines.get(which).map_or(&[], Vec::as_slice), corners, *closed));
            if before.as_ref() != Some(&value) {
                keys.push(json!({ "t": frame, "s": [value], "h": 1 }));
                before = Some(value);
            }
        }
        json!({ "ty": "sh", "ks": { "a": 1, "k": keys } })
    };
    let mut items: Vec<Value> = (0..paths).map(path).collect();
    items.push(painted(rgb(colour), stroke, round));
    Some(group(items))
}

fn lines(drawable: &Drawable) -> (Vec<Vec<Point>>, bool) {
    match &drawable.primitive {
        Primitive::Line { from, to, .. } => (vec![vec![*from, *to]], false),
        Primitive::Stroke { lines, closed, .. } => (lines.clone(), *closed),
        Primitive::Area { rings, .. } | Primitive::Cover { rings, .. } => (rings.clone(), true),
        Primitive::Specks { specks, .. } => (specks.iter().map(Speck::ring).collect(), true),
        _ => (Vec::new(), false),
    }
}

fn filled(points: &[Point], corners: usize, closed: bool) -> Contour {
    let last = points.last().copied().unwrap_or(Point::new(-1e4, -1e4));
    let all = points.iter().copied().chain(std::iter::repeat_n(last, corners - points.len()));
    Contour { corners: all.map(|at| [at, Point::default(), Point::default()]).collect(), closed }
}

/// `#rrggbb` as shares.
fn rgb(colour: &str) -> [f64; 4] {
    let part = |at: usize| colour.get(at..at + 2).and_then(|digits| u8::from_str_radix(digits, 16).ok()).unwrap_or(0);
    [f64::from(part(1)) / 255.0, f64::from(part(3)) / 255.0, f64::from(part(5)) / 255.0, 1.0]
}
