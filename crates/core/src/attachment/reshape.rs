//! An attachment made larger or smaller, turned, or laid on a face, as a hand does it.

use super::cover::Cover;
use super::foreground::ForegroundMatte;
use super::kind::AttachmentKind;
use super::label::{Label, Placement, SMALLEST_LABEL};
use super::lying::LyingFace;
use super::picture::Picture;
use crate::geometry::{Point, Size};

/// Share of a surface that bends which a label takes at most when it is laid on it.
const MOST_OF_SURFACE: f64 = 0.9;

impl AttachmentKind {
    /// Its size times `factor` and turned by `degrees`, clockwise, about its own middle. `None` of a boundary line,
    /// whose corners are its subject's, and of what cannot be turned when it is to be.
    pub fn reshaped(&self, factor: f64, degrees: f64) -> Option<Self> {
        let mut kind = self.clone();
        match &mut kind {
            Self::Boundary(_) => return None,
            Self::Flare(_) if degrees != 0.0 => return None,
            Self::Label(label) => {
                grow_label(label, factor);
                label.rotation += degrees;
            }
            Self::Flare(flare) => flare.size *= factor,
            Self::Picture(picture) => reshape_picture(picture, factor, degrees),
            Self::FilmClip(clip) => reshape_picture(&mut clip.picture, factor, degrees),
            Self::Cover(cover) => {
                let Cover { size, rotation, .. } = cover;
                *size = size.map(|side| side * factor);
                *rotation += degrees;
            }
            Self::Sparks(sparks) => {
                sparks.size *= factor;
                sparks.speed *= factor;
                sparks.direction += degrees;
            }
            Self::Foreground(matte) => reshape_outline(matte, factor, degrees)?,
        }
        Some(kind)
    }

    /// The same, lying in the middle of a face; `None` of what cannot lie on one.
    pub fn laid_on(&self, face: LyingFace, film: Size) -> Option<Self> {
        let mut kind = self.clone();
        match &mut kind {
            Self::Label(label) => (label.lies, label.placement) = (Some(face), Placement::Auto),
            Self::Picture(picture) => picture.lay_on(face, film),
            Self::FilmClip(clip) => clip.picture.lay_on(face, film),
            _ => return None,
        }
        Some(kind)
    }

    /// The same, a label on a surface that bends so small that there is room for it: beyond the rim nothing could carry
    /// it, and it would be cut off. `pixels` are its width and height.
    pub fn with_room(mut self, pixels: (f64, f64), film: Size) -> Self {
        if let Self::Label(label) = &mut self
            && let Some(face) = label.lies.filter(|face| face.bends.is_some())
        {
            let [width, height] = face.sides(film);
            let factor = MOST_OF_SURFACE * (width / pixels.0.max(1.0)).min(height / pixels.1.max(1.0));
            grow_label(label, factor.clamp((SMALLEST_LABEL / label.size).min(1.0), 1.0));
        }
        self
    }
}

fn reshape_picture(picture: &mut Picture, factor: f64, degrees: f64) {
    picture.size = picture.size.map(|side| side * factor);
    picture.rotation += degrees;
}

/// The box grows with its letters, or its text would touch the edge.
fn grow_label(label: &mut Label, factor: f64) {
    label.size *= factor;
    if let Some(style) = &mut label.box_style {
        style.padding *= factor;
        style.radius *= factor;
    }
}

/// `None` of one without an outline: it is the whole picture.
fn reshape_outline(matte: &mut ForegroundMatte, factor: f64, degrees: f64) -> Option<()> {
    let count = matte.outline.len();
    let sum = matte.outline.iter().copied().reduce(|sum, corner| sum + corner)?;
    let middle = sum * (1.0 / count as f64);
    let (sin, cos) = degrees.to_radians().sin_cos();
    for corner in &mut matte.outline {
        let from = (*corner - middle) * factor;
        *corner = middle + Point::new(cos * from.x - sin * from.y, sin * from.x + cos * from.y);
    }
    Some(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_label_grows_with_its_box() {
        let label = AttachmentKind::Label(Box::default());
        let Some(AttachmentKind::Label(grown)) = label.reshaped(1.5, 10.0) else { panic!("a label can grow") };
        assert_eq!((grown.size, grown.rotation), (39.0, 10.0));
        assert_eq!(grown.box_style.map(|style| style.padding), Some(15.0));
    }

    #[test]
    fn a_label_has_room_on_a_surface_that_bends_and_stays_as_large_as_it_was_elsewhere() {
        let film = Size::new(1280, 720);
        let corners = [(100.0, 100.0), (180.0, 100.0), (180.0, 150.0), (100.0, 150.0)].map(|(x, y)| Point::new(x, y));
        let size = |bends: Option<uuid::Uuid>, pixels: (f64, f64)| {
            let face = LyingFace { corners, since: Default::default(), bends };
            let laid = AttachmentKind::Label(Box::default()).laid_on(face, film).expect("a label lies");
            let AttachmentKind::Label(label) = laid.with_room(pixels, film) else { panic!("it stays a label") };
            label.size / Label::default().size
        };
        let [width, height] = LyingFace { corners, since: Default::default(), bends: None }.sides(film);
        let cloth = Some(uuid::Uuid::nil());
        assert!((size(cloth, (2.0 * width, 20.0)) - 0.45).abs() < 1e-9);
        assert!((size(cloth, (10.0, 3.0 * height)) - 0.3).abs() < 1e-9);
        assert_eq!(size(cloth, (width / 2.0, height / 2.0)), 1.0);
        assert_eq!(size(None, (2.0 * width, 20.0)), 1.0);
    }

    #[test]
    fn an_outline_is_turned_about_its_middle() {
        let corners = [(10.0, 10.0), (30.0, 10.0), (30.0, 20.0), (10.0, 20.0)];
        let outline: Vec<Point> = corners.map(|(x, y)| Point::new(x, y)).to_vec();
        let matte = ForegroundMatte { outline, since: Default::default(), rides: true, feather: 1.0, brightness: None };
        let kind = AttachmentKind::Foreground(matte.clone());
        let Some(AttachmentKind::Foreground(turned)) = kind.reshaped(2.0, 90.0) else { panic!("an outline can turn") };
        let want = [(30.0, -5.0), (30.0, 35.0), (10.0, 35.0), (10.0, -5.0)].map(|(x, y)| Point::new(x, y));
        assert!(turned.outline.iter().zip(want).all(|(corner, want)| corner.distance(want) < 1e-9), "{turned:?}");
        let whole = AttachmentKind::Foreground(ForegroundMatte { outline: Vec::new(), ..matte });
        assert_eq!(whole.reshaped(2.0, 0.0), None);
    }

    #[test]
    fn a_flare_takes_the_factor() {
        let flare = crate::attachment::Flare::looks(Size::new(1280, 720)).remove(0).flare;
        let AttachmentKind::Flare(grown) = AttachmentKind::Flare(flare.clone()).reshaped(0.5, 0.0).expect("it grows")
        else {
            panic!("it stays a flare")
        };
        assert_eq!(grown.size, flare.size / 2.0);
        assert_eq!(AttachmentKind::Flare(flare).reshaped(1.0, 10.0), None, "it is round");
    }
}
