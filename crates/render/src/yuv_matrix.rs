//! Colours as film stores them, and as light.

/// How RGB and stored YUV are related.
#[derive(Clone, Copy, Debug)]
pub struct YuvMatrix {
    red: f32,
    blue: f32,
    full_range: bool,
}

impl YuvMatrix {
    /// By name: `bt709`, `bt2020`, anything else is BT.601. Luma weights of ITU-R BT.709-6, BT.2020-2 and BT.601-7.
    pub fn named(name: &str, full_range: bool) -> Self {
        let (red, blue) = match name {
            "bt709" => (0.2126, 0.0722),
            "bt2020" => (0.2627, 0.0593),
            _ => (0.299, 0.114),
        };
        Self { red, blue, full_range }
    }

    /// Red, green and blue, 0 to 1, of stored luma and chroma.
    pub(crate) fn colour(self, [luma, cb, cr]: [f32; 3]) -> [f32; 3] {
        let (luma, cb, cr) = if self.full_range {
            (luma / 255.0, (cb - 128.0) / 255.0, (cr - 128.0) / 255.0)
        } else {
            ((luma - 16.0) / 219.0, (cb - 128.0) / 224.0, (cr - 128.0) / 224.0)
        };
        let (red, blue) = (luma + 2.0 * (1.0 - self.red) * cr, luma + 2.0 * (1.0 - self.blue) * cb);
        let green = (luma - self.red * red - self.blue * blue) / (1.0 - self.red - self.blue);
        [red, green, blue].map(|value| value.clamp(0.0, 1.0))
    }

    /// Stored luma and chroma of a premultiplied colour (0 to 1) of this coverage, chroma without its middle.
    pub(crate) fn convert(self, [r, g, b]: [f32; 3], coverage: f32) -> [f32; 3] {
        let luma = self.red * r + (1.0 - self.red - self.blue) * g + self.blue * b;
        let cb = (b - luma) / (2.0 * (1.0 - self.blue));
        let cr = (r - luma) / (2.0 * (1.0 - self.red));
        if self.full_range {
            [255.0 * luma, 255.0 * cb, 255.0 * cr]
        } else {
            [16.0 * coverage + 219.0 * luma, 224.0 * cb, 224.0 * cr]
        }
    }
}
