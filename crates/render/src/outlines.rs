//! Finished artwork as plain outlines, for files that know no SVG.

use jampin_core::formats::{Contour, Outlined};
use jampin_core::geometry::Point;
use resvg::tiny_skia::{Path, PathSegment, Transform};
use resvg::usvg::{Group, Node, Paint, PaintOrder};

use crate::Artwork;

impl Artwork {
    /// Its outlines from back to front, without shadows and blur; none when something in it has no plain colour.
    pub fn outlines(&self) -> Vec<Outlined> {
        let mut out = Vec::new();
        collect(self.tree.root(), 1.0, &mut out).map_or_else(Vec::new, |()| out)
    }
}

fn collect(group: &Group, opacity: f32, out: &mut Vec<Outlined>) -> Option<()> {
    for node in group.children() {
        match node {
            Node::Group(inner) => collect(inner, opacity * inner.opacity().get(), out)?,
            Node::Path(path) => {
                // What is only there to be blurred is a shadow.
                if !group.filters().is_empty() && group.children().len() == 1 && is_box(path.data()) {
                    continue;
                }
                let contours = contours(path.data(), path.abs_transform());
                let paint = |paint: &Paint, own: f32| match paint {
                    Paint::Color(colour) => {
                        let share = |value: u8| f64::from(value) / 255.0;
                        let [r, g, b] = [colour.red, colour.green, colour.blue].map(share);
                        Some([r, g, b, f64::from(own * opacity)])
                    }
                    _ => None,
                };
                let mut parts = Vec::new();
                if let Some(fill) = path.fill() {
                    let colour = paint(fill.paint(), fill.opacity().get())?;
                    parts.push(Outlined { contours: contours.clone(), colour, stroke: None });
                }
                if let Some(stroke) = path.stroke() {
                    let colour = paint(stroke.paint(), stroke.opacity().get())?;
                    parts.push(Outlined { contours, colour, stroke: Some(f64::from(stroke.width().get())) });
                }
                if path.paint_order() == PaintOrder::StrokeAndFill {
                    parts.reverse();
                }
                out.extend(parts);
            }
            Node::Text(text) => collect(text.flattened(), opacity, out)?,
            Node::Image(_) => return None,
        }
    }
    Some(())
}

/// A rounded box has at most four straight sides and four corners.
fn is_box(path: &Path) -> bool {
    path.segments().count() <= 10
}

fn contours(path: &Path, transform: Transform) -> Vec<Contour> {
    let Some(path) = path.clone().transform(transform) else { return Vec::new() };
    let point = |at: resvg::tiny_skia::Point| Point::new(f64::from(at.x), f64::from(at.y));
    let mut out: Vec<Contour> = Vec::new();
    for segment in path.segments() {
        if let PathSegment::MoveTo(to) = segment {
            out.push(Contour { corners: vec![[point(to), Point::default(), Point::default()]], closed: false });
            continue;
        }
        let Some(contour) = out.last_mut() else { continue };
        let Some(last) = contour.corners.last_mut() else { continue };
        let from = last[0];
        match segment {
            PathSegment::LineTo(to) => contour.corners.push([point(to), Point::default(), Point::default()]),
            PathSegment::QuadTo(handle, to) => {
                // The cubic through the same places has its handles at two thirds of the way.
                let (handle, to) = (point(handle), point(to));
                last[2] = (handle - from) * (2.0 / 3.0);
                contour.corners.push([to, (handle - to) * (2.0 / 3.0), Point::default()]);
            }
            PathSegment::CubicTo(first, second, to) => {
                let to = point(to);
                last[2] = point(first) - from;
                contour.corners.push([to, point(second) - to, Point::default()]);
            }
            PathSegment::Close => contour.closed = true,
            PathSegment::MoveTo(_) => {}
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use jampin_core::attachment::{Edge, FlarePart, FlarePartKind, Label, Shadow};

    use super::*;
    use crate::Typesetter;

    #[test]
    fn a_label_is_a_box_and_its_letters() {
        let mut label = Label::named("Hi");
        label.outline = Some(Edge { colour: "#ff0000".into(), width: 2.0 });
        let shift = Point::new(3.0, 3.0);
        label.shadow = Some(Shadow { colour: "#000000".into(), opacity: 0.5, shift, softness: 2.0 });
        let artwork = Typesetter::default().artwork(&label.art("")).unwrap();
        let outlines = artwork.outlines();
        assert_eq!(outlines[0].stroke, None, "the box, without its shadow");
        assert!((outlines[0].colour[3] - 0.78).abs() < 0.01 && outlines[0].contours.len() == 1);
        let strokes: Vec<usize> = (0..outlines.len()).filter(|&i| outlines[i].stroke.is_some()).collect();
        assert_eq!(strokes, [1], "the line round the letters lies under them");
        assert_eq!(outlines[2].contours.len(), 3, "H, and i with its dot: {outlines:?}");
        let inside = |at: Point| at.x > 0.0 && at.x < artwork.width && at.y > 0.0 && at.y < artwork.height;
        assert!(outlines[2].contours.iter().flat_map(|contour| &contour.corners).all(|corner| inside(corner[0])));
    }

    #[test]
    fn light_has_no_outlines() {
        let part = FlarePart { kind: FlarePartKind::Glow, colour: "#ffd9a0".into(), reach: (30.0, 30.0) };
        assert!(Typesetter::default().flare(&part).unwrap().outlines().is_empty());
    }
}
