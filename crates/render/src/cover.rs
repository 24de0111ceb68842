//! Covers, and what stands in front: layers made of the film's own picture.

use jampin_core::attachment::{Brightness, CoverEffect};
use jampin_core::geometry::Point;
use resvg::tiny_skia::Pixmap;

use crate::colour::parse_colour;
use crate::soften::{REACH, rest, soften, step};
use crate::streak::Streaked;
use crate::{FilmPicture, Layer};

/// On a picture made smaller so far a blur is still this many pixels wide.
const LEAST_DEVIATION: f64 = 2.0;

/// Gives the pixels of a mask the colours of the changed picture.
pub(crate) fn cover(mask: &mut Layer, film: &FilmPicture<'_>, effect: &CoverEffect, middle: Point) {
    match effect {
        CoverEffect::Plain(colour) => {
            let colour = parse_colour(colour).to_color_u8();
            let colour = [colour.red(), colour.green(), colour.blue()];
            paint(mask, |_, _| colour);
        }
        CoverEffect::Blur(deviation) => {
            let blurred = Blurred::new(film, mask, *deviation);
            paint(mask, |x, y| blurred.at(x, y));
        }
        CoverEffect::Mosaic(side) => {
            let mosaic = Mosaic::new(film, mask, *side as i32, middle);
            paint(mask, |x, y| mosaic.at(x, y));
        }
        CoverEffect::Streak(streak) => {
            let streaked = Streaked::new(film, mask, streak);
            paint(mask, |x, y| streaked.at(x, y));
        }
        CoverEffect::Saturation(share) => paint(mask, |x, y| film.saturated(x, y, *share as f32)),
    }
}

/// Leaves of a mask what has this brightness in the film.
pub(crate) fn keep_bright(mask: &mut Layer, film: &FilmPicture<'_>, brightness: &Brightness) {
    let (left, top, width) = (mask.left, mask.top, mask.pixels.width() as usize);
    for (i, pixel) in mask.pixels.data_mut().as_chunks_mut::<4>().0.iter_mut().enumerate() {
        if pixel[3] > 0 {
            let luma = film.luma(left + (i % width) as i32, top + (i / width) as i32);
            let share = brightness.share(luma);
            *pixel = pixel.map(|value| (f64::from(value) * share + 0.5) as u8);
        }
    }
}

/// Colours every covered pixel; `colour` is asked by its place in the picture.
fn paint(mask: &mut Layer, colour: impl Fn(i32, i32) -> [u8; 3]) {
    let (left, top, width) = (mask.left, mask.top, mask.pixels.width() as usize);
    for (i, pixel) in mask.pixels.data_mut().as_chunks_mut::<4>().0.iter_mut().enumerate() {
        let alpha = u32::from(pixel[3]);
        if alpha > 0 {
            let colour = colour(left + (i % width) as i32, top + (i / width) as i32);
            (0..3).for_each(|c| pixel[c] = ((u32::from(colour[c]) * alpha + 127) / 255) as u8);
        }
    }
}

/// A blurred part of the film's picture, kept small.
struct Blurred {
    pixels: Pixmap,
    left: i32,
    top: i32,
    step: i32,
}

impl Blurred {
    fn new(film: &FilmPicture<'_>, mask: &Layer, deviation: f64) -> Self {
        let step = step(deviation, LEAST_DEVIATION);
        let margin = (REACH * deviation).ceil() as i32 + step;
        let (left, top) = (mask.left - margin, mask.top - margin);
        let small = |side: u32| (side as i32 + 2 * margin).div_euclid(step) as u32 + 1;
        let (width, height) = (small(mask.pixels.width()), small(mask.pixels.height()));
        let mut pixels = Pixmap::new(width, height).expect("neither side is nothing");
        for (i, pixel) in pixels.data_mut().as_chunks_mut::<4>().0.iter_mut().enumerate() {
            let (col, row) = ((i % width as usize) as i32, (i / width as usize) as i32);
            // What lies outside of the picture stays empty, and does not count.
            if let Some([r, g, b]) = film.mean((left + col * step, top + row * step), (step, step)) {
                *pixel = [r, g, b, 255];
            }
        }
        soften(&mut pixels, rest(deviation, step));
        Self { pixels, left, top, step }
    }

    /// Between the four nearest.
    fn at(&self, x: i32, y: i32) -> [u8; 3] {
        let place = |at: i32, from: i32| (f64::from(at - from) + 0.5) / f64::from(self.step) - 0.5;
        let (x, y) = (place(x, self.left), place(y, self.top));
        let (col, row) = (x.floor(), y.floor());
        let (right, down) = ((x - col) as f32, (y - row) as f32);
        let mut sum = [0.0f32; 4];
        for (dx, dy, weight) in [
            (0, 0, (1.0 - right) * (1.0 - down)),
            (1, 0, right * (1.0 - down)),
            (0, 1, (1.0 - right) * down),
            (1, 1, right * down),
        ] {
            if let Some(pixel) = self.pixels.pixel((col as i32 + dx) as u32, (row as i32 + dy) as u32) {
                let pixel = [pixel.red(), pixel.green(), pixel.blue(), pixel.alpha()];
                (0..4).for_each(|c| sum[c] += weight * f32::from(pixel[c]));
            }
        }
        let alpha = sum[3].max(1.0);
        [0, 1, 2].map(|c| (sum[c] * 255.0 / alpha + 0.5).min(255.0) as u8)
    }
}

/// Squares with their mean colours.
struct Mosaic {
    colours: Vec<[u8; 3]>,
    columns: i32,
    first: (i32, i32),
    origin: (i32, i32),
    side: i32,
}

impl Mosaic {
    fn new(film: &FilmPicture<'_>, mask: &Layer, side: i32, middle: Point) -> Self {
        let origin = (middle.x.round() as i32, middle.y.round() as i32);
        let square = |at: i32, origin: i32| (at - origin).div_euclid(side);
        let first = (square(mask.left, origin.0), square(mask.top, origin.1));
        let columns = square(mask.left + mask.pixels.width() as i32 - 1, origin.0) - first.0 + 1;
        let rows = square(mask.top + mask.pixels.height() as i32 - 1, origin.1) - first.1 + 1;
        let colour = |i: i32| {
            let (col, row) = (first.0 + i % columns, first.1 + i / columns);
            film.mean((origin.0 + col * side, origin.1 + row * side), (side, side)).unwrap_or_default()
        };
        Self { colours: (0..columns * rows).map(colour).collect(), columns, first, origin, side }
    }

    fn at(&self, x: i32, y: i32) -> [u8; 3] {
        let col = (x - self.origin.0).div_euclid(self.side) - self.first.0;
        let row = (y - self.origin.1).div_euclid(self.side) - self.first.1;
        self.colours.get((row * self.columns + col) as usize).copied().unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use jampin_core::attachment::{Blend, Streak};
    use jampin_core::geometry::Size;
    use jampin_core::scene::{Art, Drawable, Primitive};

    use super::*;
    use crate::{Behind, Painter, Pictures, Typesetter, YuvMatrix};

    const SIZE: Size = Size::new(96, 64);

    /// Dark on the left, bright from column 48 on.
    fn film() -> Vec<u8> {
        let mut data: Vec<u8> = (0..SIZE.area()).map(|i| if i % 96 < 48 { 40 } else { 200 }).collect();
        data.resize(SIZE.area() * 3 / 2, 128);
        data
    }

    fn painted(primitive: Primitive) -> Layer {
        let data = film();
        let film = FilmPicture::new(SIZE, &data, YuvMatrix::named("bt601", true)).unwrap();
        let none: [&Art; 0] = [];
        let painter = Painter::new(&Typesetter::default(), none.into_iter(), &Pictures::new(), SIZE).unwrap();
        let drawable =
            Drawable { primitive, opacity: 1.0, blend: Blend::Normal, exposures: Vec::new(), luma_gate: None };
        painter.layers(&[drawable], Behind { film: Some(&film), clips: None }).next().unwrap()
    }

    fn boxed(left: f64, top: f64, right: f64, bottom: f64) -> Vec<Vec<Point>> {
        vec![[(left, top), (right, top), (right, bottom), (left, bottom)].map(|(x, y)| Point::new(x, y)).into()]
    }

    fn cover(effect: CoverEffect, inside_out: bool) -> Layer {
        let (rings, middle) = (boxed(20.0, 10.0, 76.0, 50.0), Point::new(48.0, 30.0));
        painted(Primitive::Cover { rings, middle, feather: 0.0, inside_out, effect })
    }

    fn at(layer: &Layer, x: i32, y: i32) -> (u8, u8) {
        let pixel = layer.pixels.pixel((x - layer.left) as u32, (y - layer.top) as u32).unwrap();
        (pixel.red(), pixel.alpha())
    }

    #[test]
    fn a_mosaic_has_the_means_of_its_squares() {
        let mosaic = cover(CoverEffect::Mosaic(16), false);
        assert_eq!((at(&mosaic, 47, 30), at(&mosaic, 48, 30)), ((40, 255), (200, 255)), "squares begin at the middle");
        let wide = painted(Primitive::Cover {
            rings: boxed(20.0, 10.0, 76.0, 50.0),
            middle: Point::new(44.0, 30.0),
            feather: 0.0,
            inside_out: false,
            effect: CoverEffect::Mosaic(16),
        });
        assert_eq!(at(&wide, 50, 30).0, 160, "a quarter dark, three quarters bright");
    }

    #[test]
    fn a_blur_is_a_gaussian_whatever_the_size_it_is_computed_in() {
        for deviation in [3.0, 6.0, 12.0] {
            let blurred = cover(CoverEffect::Blur(deviation), false);
            for x in [36, 44, 52, 60] {
                // The edge lies between columns 47 and 48: an integral of the Gaussian from there.
                let away = (f64::from(x) + 0.5 - 48.0) / deviation;
                let want = 40.0 + 160.0 * normal(away);
                let got = f64::from(at(&blurred, x, 30).0);
                assert!((got - want).abs() < 3.0, "deviation {deviation}, column {x}: {got} for {want}");
            }
        }
    }

    /// Standard normal distribution, by adding up small steps.
    fn normal(x: f64) -> f64 {
        let steps = 4000;
        let width = (x + 8.0) / f64::from(steps);
        let density = |i: u32| (-0.5 * (-8.0 + (f64::from(i) + 0.5) * width).powi(2)).exp();
        (0..steps).map(density).sum::<f64>() * width / std::f64::consts::TAU.sqrt()
    }

    #[test]
    fn a_streak_is_the_mean_along_its_line() {
        let streak = |angle| CoverEffect::Streak(Streak { length: 20.0, angle });
        let level = cover(streak(0.0), false);
        for x in [34, 40, 44, 47, 52, 60] {
            // How much of the line about the pixel's middle lies right of the edge.
            let bright = ((f64::from(x) + 0.5 - 48.0 + 10.0) / 20.0).clamp(0.0, 1.0);
            let (got, want) = (f64::from(at(&level, x, 30).0), 40.0 + 160.0 * bright);
            assert!((got - want).abs() < 3.0, "column {x}: {got} for {want}");
        }
        // Along the edge nothing is mixed.
        let upright = cover(streak(90.0), false);
        assert_eq!((at(&upright, 46, 30).0, at(&upright, 49, 30).0), (40, 200));
        // Beyond the picture there is nothing to be mixed in.
        let whole = painted(Primitive::Cover {
            rings: boxed(0.0, 0.0, 96.0, 64.0),
            middle: Point::default(),
            feather: 0.0,
            inside_out: false,
            effect: streak(45.0),
        });
        assert_eq!((at(&whole, 0, 0), at(&whole, 95, 63)), ((40, 255), (200, 255)));
    }

    #[test]
    fn inside_out_covers_all_but() {
        let out = cover(CoverEffect::Plain("#ff0000".into()), true);
        assert_eq!((at(&out, 40, 30).1, at(&out, 5, 30)), (0, (255, 255)));
        assert_eq!((out.pixels.width(), out.pixels.height()), (96, 64));
    }

    #[test]
    fn what_stands_in_front_is_chosen_by_outline_and_brightness() {
        let brightness = Some(Brightness { from: 0.5, to: 1.0, softness: 0.1 });
        let front = painted(Primitive::Foreground { rings: boxed(40.0, 10.0, 76.0, 50.0), feather: 0.0, brightness });
        assert!(front.restores);
        assert_eq!((at(&front, 45, 30).1, at(&front, 55, 30).1), (0, 255));
        let whole = painted(Primitive::Foreground { rings: Vec::new(), feather: 0.0, brightness });
        assert_eq!((at(&whole, 5, 60).1, at(&whole, 90, 60).1), (0, 255));
    }
}
