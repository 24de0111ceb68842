//! Which of the eleven basic colours something has.

use std::sync::OnceLock;

/// Classes of colour.
pub(super) const COLOURS: usize = 11;

/// Brightness and colour difference to shares of colour classes: van de Weijer et al. 2009 learned which colours people
/// call by the eleven basic names; here each name is a place in the Lab space (CIE 1976), and a colour belongs to those
/// that are near.
pub(super) struct ColourTable {
    shares: Vec<[f32; COLOURS]>,
}

/// Steps of the table in each of its three directions.
const COLOUR_STEPS: usize = 32;
/// Distance in Lab over which a colour stops belonging to a class.
const COLOUR_REACH: f32 = 25.0;
/// Lightness counts this much of what colour counts: light and shade change it.
const LIGHTNESS: f32 = 0.7;
/// Black, blue, brown, grey, green, orange, pink, purple, red, white, yellow in sRGB, common practice for the eleven
/// basic names.
const NAMED: [[u8; 3]; COLOURS] = [
    [0, 0, 0],
    [0, 0, 255],
    [128, 102, 64],
    [128, 128, 128],
    [0, 200, 0],
    [255, 128, 0],
    [255, 128, 192],
    [160, 32, 208],
    [230, 0, 0],
    [255, 255, 255],
    [255, 240, 0],
];

impl ColourTable {
    /// Made when it is first asked for.
    pub fn get() -> &'static Self {
        static TABLE: OnceLock<ColourTable> = OnceLock::new();
        TABLE.get_or_init(|| {
            let named = NAMED.map(|rgb| lab(rgb.map(|part| f32::from(part) / 255.0)));
            let step = 256.0 / COLOUR_STEPS as f32;
            let value = |i: usize| (i as f32 + 0.5) * step;
            let all = (0..COLOUR_STEPS.pow(3)).map(|i| {
                let [light, blue, red] = [i / COLOUR_STEPS.pow(2), i / COLOUR_STEPS % COLOUR_STEPS, i % COLOUR_STEPS];
                classes(lab(rgb(value(light), value(blue), value(red))), &named)
            });
            Self { shares: all.collect() }
        })
    }

    /// Shares of the classes at a brightness and colour differences of limited range.
    pub fn of(&self, light: f32, blue: f32, red: f32) -> &[f32; COLOURS] {
        let step = |value: f32| ((value * (COLOUR_STEPS as f32 / 256.0)) as usize).min(COLOUR_STEPS - 1);
        &self.shares[(step(light) * COLOUR_STEPS + step(blue)) * COLOUR_STEPS + step(red)]
    }
}

fn classes(colour: [f32; 3], named: &[[f32; 3]; COLOURS]) -> [f32; COLOURS] {
    let shares = named.map(|other| {
        let [l, a, b] = [0, 1, 2].map(|i| colour[i] - other[i]);
        (-((l * LIGHTNESS).powi(2) + a * a + b * b) / (2.0 * COLOUR_REACH.powi(2))).exp()
    });
    let sum = shares.iter().sum::<f32>() + 1e-6;
    shares.map(|share| share / sum)
}

/// R'G'B' of 0 to 1 from luma and colour differences of limited range (ITU-R BT.709).
fn rgb(luma: f32, blue: f32, red: f32) -> [f32; 3] {
    let (y, b, r) = ((luma - 16.0) / 219.0, (blue - 128.0) / 224.0, (red - 128.0) / 224.0);
    [y + 1.5748 * r, y - 0.1873 * b - 0.4681 * r, y + 1.8556 * b].map(|part| part.clamp(0.0, 1.0))
}

/// CIE L*a*b* (1976) of sRGB, white D65.
fn lab(rgb: [f32; 3]) -> [f32; 3] {
    let [r, g, b] = rgb.map(|part| if part <= 0.04045 { part / 12.92 } else { ((part + 0.055) / 1.055).powf(2.4) });
    let curve = |t: f32| if t > 0.008_856 { t.cbrt() } else { 7.787 * t + 16.0 / 116.0 };
    let x = curve((0.4124 * r + 0.3576 * g + 0.1805 * b) / 0.9505);
    let y = curve(0.2126 * r + 0.7152 * g + 0.0722 * b);
    let z = curve((0.0193 * r + 0.1192 * g + 0.9505 * b) / 1.089);
    [116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lab_is_as_published() {
        // Values of the sRGB primaries and of mid grey, D65: B. Lindbloom's calculator, from memory.
        for (rgb, want) in [
            ([1.0, 1.0, 1.0], [100.0, 0.0, 0.0]),
            ([1.0, 0.0, 0.0], [53.2, 80.1, 67.2]),
            ([0.0, 0.0, 1.0], [32.3, 79.2, -107.9]),
            ([0.5, 0.5, 0.5], [53.4, 0.0, 0.0]),
        ] {
            let got = lab(rgb);
            assert!(got.iter().zip(want).all(|(a, b)| (a - b).abs() < 0.3), "{rgb:?}: {got:?}, not {want:?}");
        }
    }

    #[test]
    fn colours_belong_to_the_class_of_their_name() {
        let table = ColourTable::get();
        let class = |y: f32, b: f32, r: f32| {
            let shares = table.of(y, b, r);
            (0..COLOURS).max_by(|a, b| shares[*a].total_cmp(&shares[*b])).unwrap()
        };
        // Luma and differences of full red, blue and white in BT.709, limited range.
        assert_eq!([class(63.0, 102.0, 240.0), class(32.0, 240.0, 118.0), class(235.0, 128.0, 128.0)], [8, 1, 9]);
    }
}
