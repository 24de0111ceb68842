//! Labels as WebVTT captions with positions.
//!
//! # Source
//! W3C, *WebVTT: The Web Video Text Tracks Format*, sections 4 (syntax) and 6.4 (cue settings).

use std::fmt::Write;

use super::drawable_tracks::{DecomposedTransform, drawable_tracks};
use crate::geometry::Size;
use crate::scene::{Art, Primitive, Scene};
use crate::time::FrameRange;

/// A caption stays where it is while its label moves less than this share of the picture.
const STEP: f64 = 0.02;

/// The labels of a shot as captions: a cue for each stretch in which a label stays where it is, nearly, at the place of
/// its middle.
///
/// `times`: when each frame of the range begins, and when the last ends, in microseconds from the first.
pub fn webvtt(scene: &Scene, range: FrameRange, times: &[i64], size: Size) -> String {
    let art: Vec<&Art> = scene.artwork().collect();
    let mut cues: Vec<Cue> = Vec::new();
    for track in drawable_tracks(scene, range) {
        let mut open: Option<Cue> = None;
        for (at, drawable) in track.frames.iter().enumerate() {
            let shown = drawable.as_ref().filter(|drawable| drawable.opacity > 0.0);
            let place = shown.and_then(|drawable| place(&drawable.primitive, scene, &art, size));
            let stays = open.as_ref().zip(place.as_ref()).is_some_and(|(cue, place)| cue.is_near(place));
            if stays {
                continue;
            }
            if let Some(mut cue) = open.take() {
                cue.until = times[at];
                cues.push(cue);
            }
            open = place.map(|(text, at_share)| Cue { from: times[at], until: 0, text, place: at_share });
        }
        if let Some(mut cue) = open {
            cue.until = times[track.frames.len()];
            cues.push(cue);
        }
    }
    joined(cues).iter().fold("WEBVTT\n".to_owned(), |mut out, cue| {
        cue.write(&mut out);
        out
    })
}

/// In order; a label that is drawn anew while it stays where it is has one cue.
fn joined(mut cues: Vec<Cue>) -> Vec<Cue> {
    cues.sort_by_key(|cue| cue.from);
    let mut joined: Vec<Cue> = Vec::new();
    for cue in cues {
        let same = |open: &&mut Cue| open.until == cue.from && open.is_near(&(cue.text.clone(), cue.place));
        match joined.iter_mut().find(same) {
            Some(open) => open.until = cue.until,
            None => joined.push(cue),
        }
    }
    joined
}

/// A text and where it stands, in shares of the picture.
type PlacedText = (String, [f64; 2]);

struct Cue {
    from: i64,
    until: i64,
    text: String,
    /// In shares of the picture's width and height.
    place: [f64; 2],
}

impl Cue {
    fn is_near(&self, (text, place): &PlacedText) -> bool {
        self.text == *text && self.place.iter().zip(place).all(|(a, b)| (a - b).abs() < STEP)
    }

    fn write(&self, out: &mut String) {
        let [across, down] = self.place.map(|share| (100.0 * share).clamp(0.0, 100.0));
        let (from, until) = (clock(self.from), clock(self.until));
        write!(
            out,
            "\n{from} --> {until} position:{across:.2}%,center line:{down:.2}%,center align:center\n{}\n",
            escaped(&self.text)
        )
        .expect("writing to a string does not fail");
    }
}

/// What a label says, and where its middle is.
fn place(shape: &Primitive, scene: &Scene, art: &[&Art], size: Size) -> Option<PlacedText> {
    let (Primitive::Artwork { art: which, .. } | Primitive::Flat { art: which, .. }) = shape else { return None };
    let Art::Label(label) = art.get(*which)? else { return None };
    let own = scene.size_of(*which);
    let laid = DecomposedTransform::of(shape, own)?;
    let (sin, cos) = laid.rotation.to_radians().sin_cos();
    let (x, y) = (own.0 / 2.0 * laid.size[0], own.1 / 2.0 * laid.size[1]);
    let middle = [laid.at.x + cos * x - sin * y, laid.at.y + sin * x + cos * y];
    let second = label.second.as_ref().map(|second| format!("\n{}", second.text)).unwrap_or_default();
    let share = [middle[0] / f64::from(size.width), middle[1] / f64::from(size.height)];
    Some((format!("{}{second}", label.text), share))
}

fn clock(micros: i64) -> String {
    let millis = (micros + 500) / 1000;
    let (seconds, minutes, hours) = (millis / 1000, millis / 60_000, millis / 3_600_000);
    format!("{hours:02}:{:02}:{:02}.{:03}", minutes % 60, seconds % 60, millis % 1000)
}

/// Cue text: no markup, and no empty line, which would end the cue.
fn escaped(text: &str) -> String {
    let lines = text.lines().map(str::trim).filter(|line| !line.is_empty());
    let safe = |line: &str| line.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;");
    lines.map(safe).collect::<Vec<_>>().join("\n")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_and_texts_are_as_the_format_wants_them() {
        assert_eq!(clock(3_723_004_600), "01:02:03.005");
        assert_eq!(escaped("Guard <b>\n\n & driver"), "Guard &lt;b&gt;\n&amp; driver");
    }
}
