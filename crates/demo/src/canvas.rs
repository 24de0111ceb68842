//! A few strokes of a brush over tiny-skia.

use tiny_skia::{
    Color, FillRule, GradientStop, LineCap, LinearGradient, Paint, Path, PathBuilder, Pixmap, Point, Rect, Shader,
    SpreadMode, Stroke, Transform,
};

/// Something to draw on, in pixels.
pub(crate) struct Canvas {
    pub pixels: Pixmap,
}

fn colour(hex: u32) -> Color {
    Color::from_rgba8((hex >> 16) as u8, (hex >> 8) as u8, hex as u8, 255)
}

fn solid(hex: u32) -> Paint<'static> {
    Paint { shader: Shader::SolidColor(colour(hex)), anti_alias: true, ..Paint::default() }
}

fn polygon(points: &[(f32, f32)]) -> Option<Path> {
    let mut path = PathBuilder::new();
    let (first, rest) = points.split_first()?;
    path.move_to(first.0, first.1);
    rest.iter().for_each(|p| path.line_to(p.0, p.1));
    path.close();
    path.finish()
}

impl Canvas {
    pub fn new(width: u32, height: u32) -> Self {
        Self { pixels: Pixmap::new(width, height).expect("a canvas has pixels") }
    }

    fn fill(&mut self, path: Option<Path>, paint: &Paint<'_>) {
        if let Some(path) = path {
            self.pixels.fill_path(&path, paint, FillRule::Winding, Transform::identity(), None);
        }
    }

    pub fn poly(&mut self, hex: u32, points: &[(f32, f32)]) {
        self.fill(polygon(points), &solid(hex));
    }

    pub fn rect(&mut self, hex: u32, x: f32, y: f32, width: f32, height: f32) {
        self.poly(hex, &[(x, y), (x + width, y), (x + width, y + height), (x, y + height)]);
    }

    /// A rectangle whose colour changes from top to bottom.
    pub fn graded(&mut self, top: u32, bottom: u32, x: f32, y: f32, width: f32, height: f32) {
        let stops = vec![GradientStop::new(0.0, colour(top)), GradientStop::new(1.0, colour(bottom))];
        let (from, to) = (Point::from_xy(x, y), Point::from_xy(x, y + height));
        let shader = LinearGradient::new(from, to, stops, SpreadMode::Pad, Transform::identity());
        let paint =
            Paint { shader: shader.unwrap_or(Shader::SolidColor(colour(top))), anti_alias: true, ..Paint::default() };
        let rect = Rect::from_xywh(x, y, width, height);
        self.fill(rect.map(PathBuilder::from_rect), &paint);
    }

    pub fn circle(&mut self, hex: u32, x: f32, y: f32, radius: f32) {
        self.fill(PathBuilder::from_circle(x, y, radius), &solid(hex));
    }

    pub fn oval(&mut self, hex: u32, x: f32, y: f32, across: f32, down: f32) {
        let rect = Rect::from_xywh(x - across, y - down, 2.0 * across, 2.0 * down);
        self.fill(rect.and_then(PathBuilder::from_oval), &solid(hex));
    }

    pub fn line(&mut self, hex: u32, width: f32, points: &[(f32, f32)]) {
        let mut path = PathBuilder::new();
        let Some((first, rest)) = points.split_first() else { return };
        path.move_to(first.0, first.1);
        rest.iter().for_each(|p| path.line_to(p.0, p.1));
        let stroke = Stroke { width, line_cap: LineCap::Round, ..Stroke::default() };
        if let Some(path) = path.finish() {
            self.pixels.stroke_path(&path, &solid(hex), &stroke, Transform::identity(), None);
        }
    }

    /// A cog wheel: the railway's sign.
    pub fn cog(&mut self, hex: u32, x: f32, y: f32, radius: f32) {
        let teeth = 12;
        let points: Vec<(f32, f32)> = (0..teeth * 4)
            .map(|i| {
                let angle = (i as f32 - 0.5) / (teeth * 4) as f32 * std::f32::consts::TAU;
                let reach = if i % 4 < 2 { radius } else { radius * 0.8 };
                (x + reach * angle.cos(), y + reach * angle.sin())
            })
            .collect();
        self.poly(hex, &points);
    }
}
