//! A pattern to look for, ready for search and alignment.

use crate::align::{Pattern, Reference};
use crate::geometry::{Homography, LocalWarp, Point};
use crate::image::{Blur, FrameSource, Window};
use crate::matching::Searcher;
use crate::pin::Pin;
use crate::time::Frame;

/// The search uses a pattern that was turned or grown for it; it is made again when a corner would be off by more than
/// this, in pixels.
const STALE_CORNER: f64 = 1.0;

#[derive(Clone)]
pub(crate) struct Target {
    pub reference: Reference,
    searcher: Option<(Blur, LocalWarp, Searcher)>,
}

impl Target {
    pub fn new(reference: Reference) -> Self {
        Self { reference, searcher: None }
    }

    /// Picks the pattern that `map` puts down on a frame; `None` when it is flat.
    pub fn pick<S: FrameSource>(
        source: &mut S,
        frame: Frame,
        map: Homography,
        pin: &Pin,
    ) -> Result<Option<Self>, S::Error> {
        let [cols, rows] = pin.pattern.map(|side| side as usize);
        let rect = Reference::rect(&map, cols, rows);
        let windows: Vec<Window> = source.windows(frame, rect, pin.channel.components())?;
        let mut target = Self::new(Reference::pick(&windows, map, cols, rows, pin.filter));
        let is_flat = target.searcher(Blur::default(), LocalWarp::SAME).is_flat();
        Ok((!is_flat).then_some(target))
    }

    /// Looks for the pattern softened by `blur` and seen through `shape`.
    pub fn searcher(&mut self, blur: Blur, shape: LocalWarp) -> &mut Searcher {
        let pattern = self.reference.sharp();
        let (cols, rows) = (pattern.cols, pattern.rows);
        let corner = Point::new(cols as f64 / 2.0, rows as f64 / 2.0);
        let stale = |made: &LocalWarp| {
            let at =
                |shape: &LocalWarp, x: f64| shape.placed(Point::default()).apply(Point::new(x * corner.x, corner.y));
            [-1.0, 1.0].iter().any(|x| at(made, *x).distance(at(&shape, *x)) > STALE_CORNER)
        };
        let usable = self.searcher.as_ref().is_some_and(|(made, seen, _)| *made == blur && !stale(seen));
        if !usable {
            let seen: Pattern = self.reference.seen_through(blur, shape);
            let layers: Vec<&[f32]> = (0..seen.layers()).map(|layer| seen.values(layer)).collect();
            self.searcher = Some((blur, shape, Searcher::new(&layers, cols, rows)));
        }
        &mut self.searcher.as_mut().expect("just made").2
    }
}
