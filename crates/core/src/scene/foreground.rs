//! What stands in front, on one frame.

use super::drawable::{Drawable, Primitive};
use super::item_context::ItemContext;
use super::stance::riding;
use crate::attachment::ForegroundMatte;
use crate::geometry::Point;
use crate::time::Frame;

pub(super) fn drawables(matte: &ForegroundMatte, item: &ItemContext, frame: Frame) -> Option<Vec<Drawable>> {
    let ring: Vec<Point> = if matte.rides {
        let map = riding(&item.poses, matte.since, frame)?;
        matte.outline.iter().map(|corner| map.apply(*corner)).collect()
    } else {
        matte.outline.clone()
    };
    let rings = if ring.is_empty() { Vec::new() } else { vec![ring] };
    let primitive = Primitive::Foreground { rings, feather: matte.feather, brightness: matte.brightness };
    Some(vec![item.drawable(primitive, 1.0)])
}
