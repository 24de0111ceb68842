//! Coarse-to-fine search for a pattern: correlation over the whole search area on a small copy, then only round the
//! best few places on the finer ones.

use super::Template;
use crate::geometry::{PixelRect, Point};
use crate::image::Window;

/// The pattern must keep this many samples across and down on the coarsest level. Fewer, and everything looks
/// like everything; more, and the coarse pass costs four times as much for each level left out.
const MIN_COARSE_SIDE: usize = 7;
/// A fourth level is not worth its blur: at an eighth of the size most patterns are a smudge.
const MAX_LEVELS: usize = 3;
/// Peaks carried from the coarsest level. Fine texture can rank low there; eight is where more stopped helping.
const COARSE_PEAKS: usize = 8;
/// Peaks carried down to full size.
const FINE_PEAKS: usize = 4;
/// Peaks this far below the best are not refined: a finer level does not make up for so much. Smaller, and the right
/// peak of fine texture is left coarse; larger, and time is lost.
const REFINED_WITHIN: f32 = 0.22;
/// Two peaks nearer than this at full size, in pixels, are the same one.
const SAME_PEAK: i32 = 3;

/// A place where the pattern may be, to the whole pixel.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CorrelationPeak {
    /// Centre of the pattern there.
    pub centre: Point,
    /// Correlation, -1 to 1; the mean over the layers.
    pub score: f32,
}

/// Looks for a pattern of one size; keeps its scratch memory from frame to frame.
#[derive(Clone, Debug)]
pub struct Searcher {
    cols: usize,
    rows: usize,
    /// By layer, then by level.
    templates: Vec<Vec<Option<Template>>>,
    images: Vec<Vec<Level>>,
}

#[derive(Clone, Debug, Default)]
struct Level {
    cols: usize,
    rows: usize,
    values: Vec<f32>,
}

#[derive(Clone, Copy, Debug)]
struct Peak {
    col: i32,
    row: i32,
    score: f32,
}

impl Searcher {
    /// For a pattern whose layers have `cols * rows` samples each, row by row.
    pub fn new(layers: &[&[f32]], cols: usize, rows: usize) -> Self {
        let depth = depth_for(cols.min(rows));
        let pyramid = |values: &[f32]| {
            let mut level = Level { cols, rows, values: values.to_vec() };
            let mut templates = Vec::with_capacity(depth);
            for step in 0..depth {
                if step > 0 {
                    level = level.halved();
                }
                templates.push(Template::new(level.values.clone(), level.cols, level.rows));
            }
            templates
        };
        let templates: Vec<_> = layers.iter().map(|values| pyramid(values)).collect();
        Self { cols, rows, images: vec![vec![Level::default(); depth]; layers.len()], templates }
    }

    /// Whether no layer has anything to look for.
    pub fn is_flat(&self) -> bool {
        self.templates.iter().all(|levels| levels[0].is_none())
    }

    /// The pixels that [`Searcher::find`] wants to see for this prediction and reach.
    pub fn area(&self, predicted: Point, reach: (f64, f64)) -> PixelRect {
        PixelRect::around(predicted, reach.0 + self.cols as f64 / 2.0, reach.1 + self.rows as f64 / 2.0)
    }

    /// The best places for the pattern's centre inside the windows (one a layer, all of the same rectangle), best
    /// first;
    /// empty when the pattern or the window is flat, or the window is smaller than the pattern.
    pub fn find(&mut self, windows: &[Window]) -> Vec<CorrelationPeak> {
        assert_eq!(windows.len(), self.images.len(), "one window for each layer of the pattern");
        for (levels, window) in self.images.iter_mut().zip(windows) {
            fill_levels(levels, window);
        }
        let coarsest = (0..self.images[0].len()).rev().find(|&level| self.fits(level));
        let Some(coarsest) = coarsest else { return Vec::new() };
        let mut peaks = self.peaks_everywhere(coarsest);
        for level in (0..coarsest).rev() {
            peaks = self.refine(level, &peaks);
            peaks.truncate(FINE_PEAKS);
        }
        let half = Point::new(self.cols as f64 / 2.0, self.rows as f64 / 2.0);
        let corner = Point::new(f64::from(windows[0].left), f64::from(windows[0].top)) + half;
        let centre = |peak: &Peak| corner + Point::new(f64::from(peak.col), f64::from(peak.row));
        peaks.iter().map(|peak| CorrelationPeak { centre: centre(peak), score: peak.score }).collect()
    }

    /// Templates and images of one level, of the layers that are not flat there.
    fn layers(&self, level: usize) -> impl Iterator<Item = (&Template, &Level)> {
        let pairs = self.templates.iter().zip(&self.images);
        pairs.filter_map(move |(templates, images)| Some((templates[level].as_ref()?, &images[level])))
    }

    fn fits(&self, level: usize) -> bool {
        let mut layers = self.layers(level).peekable();
        layers.peek().is_some() && layers.all(|(t, image)| image.cols >= t.cols() && image.rows >= t.rows())
    }

    /// Every local maximum of the correlation over one level, best first.
    fn peaks_everywhere(&self, level: usize) -> Vec<Peak> {
        let mut total: Vec<f32> = Vec::new();
        let (mut count, mut places) = (0, (0, 0));
        for (template, image) in self.layers(level) {
            places = (image.cols - template.cols() + 1, image.rows - template.rows() + 1);
            let scores = template.surface(&image.values, image.cols);
            count += 1;
            if count == 1 {
                total = scores;
            } else {
                total.iter_mut().zip(&scores).for_each(|(sum, score)| *sum += score);
            }
        }
        total.iter_mut().for_each(|sum| *sum /= count as f32);
        let mut peaks = local_maxima(&total, places.0, places.1);
        peaks.truncate(COARSE_PEAKS);
        peaks
    }

    /// Looks again, one sample to each side, round where the peaks of the coarser level lie on this one. Those far below
    /// the best are only carried over: they tell how far the best stands above them.
    fn refine(&self, level: usize, peaks: &[Peak]) -> Vec<Peak> {
        let best = peaks.first().map_or(0.0, |peak| peak.score);
        let carried = |peak: &Peak| Peak { col: 2 * peak.col, row: 2 * peak.row, ..*peak };
        let refined = |peak: &Peak| match peak.score >= best - REFINED_WITHIN {
            true => self.climb(level, peak),
            false => self.is_inside(level, 2 * peak.col, 2 * peak.row).then(|| carried(peak)),
        };
        let mut refined: Vec<Peak> = peaks.iter().filter_map(refined).collect();
        refined.sort_by(|a, b| b.score.total_cmp(&a.score));
        let mut distinct: Vec<Peak> = Vec::with_capacity(refined.len());
        for peak in refined {
            let same = |other: &Peak| (other.col - peak.col).abs().max((other.row - peak.row).abs()) < SAME_PEAK;
            if !distinct.iter().any(same) {
                distinct.push(peak);
            }
        }
        distinct
    }

    fn climb(&self, level: usize, peak: &Peak) -> Option<Peak> {
        let around = (-1..=2).flat_map(|row| (-1..=2).map(move |col| (2 * peak.col + col, 2 * peak.row + row)));
        around
            .filter_map(|(col, row)| self.score(level, col, row).map(|score| Peak { col, row, score }))
            .max_by(|a, b| a.score.total_cmp(&b.score))
    }

    /// Whether the pattern put there stays inside the window.
    fn is_inside(&self, level: usize, col: i32, row: i32) -> bool {
        self.layers(level).all(|(template, image)| {
            let last = (image.cols as i32 - template.cols() as i32, image.rows as i32 - template.rows() as i32);
            (0..=last.0).contains(&col) && (0..=last.1).contains(&row)
        })
    }

    /// Mean score of the layers at one place; `None` where the pattern would reach out of the window.
    fn score(&self, level: usize, col: i32, row: i32) -> Option<f32> {
        let (mut sum, mut count) = (0.0, 0);
        if !self.is_inside(level, col, row) {
            return None;
        }
        for (template, image) in self.layers(level) {
            let start = row as usize * image.cols + col as usize;
            if let Some(score) = template.score(&image.values, start, image.cols) {
                (sum, count) = (sum + score, count + 1);
            }
        }
        (count > 0).then(|| sum / count as f32)
    }
}

fn fill_levels(levels: &mut [Level], window: &Window) {
    let size = window.plane.size();
    let first = &mut levels[0];
    (first.cols, first.rows) = (size.width as usize, size.height as usize);
    first.values.clear();
    first.values.extend(window.plane.data().iter().map(|&v| f32::from(v)));
    for level in 1..levels.len() {
        levels[level] = levels[level - 1].halved();
    }
}

impl Level {
    /// Half the size, each sample the mean of four; an odd last column or row is left out.
    fn halved(&self) -> Self {
        let (cols, rows) = (self.cols / 2, self.rows / 2);
        let mut values = Vec::with_capacity(cols * rows);
        for row in 0..rows {
            let upper = self.values[2 * row * self.cols..][..2 * cols].as_chunks::<2>().0;
            let lower = self.values[(2 * row + 1) * self.cols..][..2 * cols].as_chunks::<2>().0;
            values.extend(upper.iter().zip(lower).map(|(a, b)| (a[0] + a[1] + b[0] + b[1]) * 0.25));
        }
        Self { cols, rows, values }
    }
}

fn depth_for(side: usize) -> usize {
    (1..MAX_LEVELS).take_while(|level| side >> level >= MIN_COARSE_SIDE).count() + 1
}

fn local_maxima(scores: &[f32], cols: usize, rows: usize) -> Vec<Peak> {
    let is_peak = |col: usize, row: usize| {
        let here = scores[row * cols + col];
        (row.saturating_sub(1)..(row + 2).min(rows))
            .all(|r| scores[r * cols..][col.saturating_sub(1)..(col + 2).min(cols)].iter().all(|&s| s <= here))
    };
    let mut peaks: Vec<Peak> = (0..rows)
        .flat_map(|row| (0..cols).map(move |col| (col, row)))
        .filter(|&(col, row)| is_peak(col, row))
        .map(|(col, row)| Peak { col: col as i32, row: row as i32, score: scores[row * cols + col] })
        .collect();
    peaks.sort_by(|a, b| b.score.total_cmp(&a.score));
    peaks
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::image::Plane;

    fn texture(size: Size) -> Plane {
        Plane::from_fn(size, |col, row| {
            let (x, y) = (f64::from(col), f64::from(row));
            let wave = (x * 0.31 + y * 0.07).sin() + (y * 0.23 - x * 0.11).sin() + (x * y * 0.004).sin();
            (128.0 + 35.0 * wave) as u8
        })
    }

    fn pattern_at(plane: &Plane, left: i32, top: i32, side: i32) -> Vec<f32> {
        let window = plane.window(PixelRect { left, top, right: left + side, bottom: top + side });
        window.plane.data().iter().map(|&v| f32::from(v)).collect()
    }

    #[test]
    fn finds_the_pattern_at_every_parity_of_its_place() {
        let plane = texture(Size::new(220, 200));
        for (side, left, top) in [(31, 90, 80), (31, 91, 83), (15, 77, 102), (61, 66, 59), (11, 100, 101)] {
            let mut searcher = Searcher::new(&[&pattern_at(&plane, left, top, side)], side as usize, side as usize);
            let truth = Point::new(f64::from(left) + f64::from(side) / 2.0, f64::from(top) + f64::from(side) / 2.0);
            let window = plane.window(searcher.area(truth + Point::new(9.0, -14.0), (40.0, 40.0)));
            let best = searcher.find(&[window])[0];
            assert_eq!(best.centre, truth, "side {side} at {left},{top}");
            assert!(best.score > 0.999, "{best:?}");
        }
    }

    #[test]
    fn flat_windows_and_tiny_windows_give_no_candidate() {
        let plane = texture(Size::new(100, 100));
        let mut searcher = Searcher::new(&[&pattern_at(&plane, 40, 40, 21)], 21, 21);
        let flat = Plane::from_fn(Size::new(100, 100), |_, _| 90);
        let everywhere = PixelRect { left: 0, top: 0, right: 100, bottom: 100 };
        assert!(searcher.find(&[flat.window(everywhere)]).is_empty());
        let tiny = PixelRect { left: 0, top: 0, right: 12, bottom: 12 };
        assert!(searcher.find(&[plane.window(tiny)]).is_empty());
    }

    #[test]
    fn a_repeating_picture_gives_several_candidates() {
        let plane = Plane::from_fn(Size::new(200, 120), |col, row| {
            let (x, y) = (f64::from(col % 40), f64::from(row));
            (120.0 + 50.0 * (x * 0.5).sin() * (y * 0.2).cos() + 30.0 * (x * 0.157 + y * 0.05).cos()) as u8
        });
        let mut searcher = Searcher::new(&[&pattern_at(&plane, 80, 40, 25)], 25, 25);
        let window = plane.window(searcher.area(Point::new(92.5, 52.5), (50.0, 10.0)));
        let found = searcher.find(&[window]);
        assert!(found.len() >= 3 && found[1].score > 0.9, "{found:?}");
    }
}
