//! A background of one colour, taken out of a film.

use serde::{Deserialize, Serialize};

use super::settings::{SettingProblem, check_colour, check_number};

/// Blue and red differences of ITU-R BT.709-6, of R'G'B' from 0 to 1: each from -0.5 to 0.5.
const BLUE: [f64; 3] = [-0.1146, -0.3854, 0.5];
const RED: [f64; 3] = [0.5, -0.4542, -0.0458];
/// And its luma.
const LUMA: [f64; 3] = [0.2126, 0.7152, 0.0722];

/// What is taken out: the colour whatever its brightness, as shadows on a background are darker.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ColourKey {
    /// The background's colour as `#rrggbb`.
    pub colour: String,
    /// Up to this distance in colour a pixel is background: 0 to 1, of the most that there can be.
    pub near: f64,
    /// Over how much more distance it comes to be wholly there.
    pub soft: f64,
    /// How much of the background's colour is taken out of what is left, where it shines on it: 0 to 1.
    pub spill: f64,
}

impl Default for ColourKey {
    fn default() -> Self {
        Self { colour: "#00b140".into(), near: 0.16, soft: 0.12, spill: 0.8 }
    }
}

impl ColourKey {
    pub(super) fn check(&self) -> Result<(), SettingProblem> {
        check_colour(&self.colour)?;
        check_number("how near the background's colour is", self.near, 0.0, 1.0)?;
        check_number("the softness of its edge", self.soft, 0.0, 1.0)?;
        check_number("the spill that is taken out", self.spill, 0.0, 1.0)
    }

    /// The number at an address.
    pub(super) fn number(&mut self, address: &str) -> Option<&mut f64> {
        match address {
            "near" => Some(&mut self.near),
            "soft" => Some(&mut self.soft),
            "spill" => Some(&mut self.spill),
            _ => None,
        }
    }

    /// Ready for many pixels.
    pub fn keyer(&self) -> Keyer {
        let part = |at: usize| {
            self.colour.get(at..at + 2).and_then(|two| u8::from_str_radix(two, 16).ok()).map_or(0.0, f64::from) / 255.0
        };
        let key = chroma([part(1), part(3), part(5)]);
        let strength = key[0].hypot(key[1]).max(1e-6);
        Keyer {
            key,
            way: key.map(|part| part / strength),
            near: self.near,
            soft: self.soft.max(1e-6),
            spill: self.spill,
        }
    }
}

/// A key as numbers.
#[derive(Clone, Copy, Debug)]
pub struct Keyer {
    /// Of the background.
    key: [f64; 2],
    /// Its direction.
    way: [f64; 2],
    near: f64,
    soft: f64,
    spill: f64,
}

fn chroma(rgb: [f64; 3]) -> [f64; 2] {
    [BLUE, RED].map(|weights| weights.iter().zip(rgb).map(|(weight, value)| weight * value).sum())
}

impl Keyer {
    /// What is left of a pixel: red, green and blue, not multiplied, and how much of it is there. All from 0 to 1.
    ///
    /// It is there as far as its blue and red difference lie from those of the background (as chroma keyers do it: van
    /// den Bergh & Lalioti, *Software chroma keying in an immersive virtual environment*, South African Computer
    /// Journal 24, 1999; from memory). Spill is the part of the difference towards the background that is more than
    /// what lies across it: it goes, and the luma stays.
    pub fn pixel(&self, rgb: [f64; 3]) -> [f64; 4] {
        let own = chroma(rgb);
        let distance = (own[0] - self.key[0]).hypot(own[1] - self.key[1]);
        let share = ((distance - self.near) / self.soft).clamp(0.0, 1.0);
        let along = own[0] * self.way[0] + own[1] * self.way[1];
        let across = (own[0] * self.way[1] - own[1] * self.way[0]).abs();
        let spilt = (along - across).max(0.0) * self.spill;
        let [red, green, blue] = without(rgb, [spilt * self.way[0], spilt * self.way[1]]);
        [red, green, blue, share * share * (3.0 - 2.0 * share)]
    }
}

/// With so much less of both differences; the luma stays.
fn without(rgb: [f64; 3], [blue_less, red_less]: [f64; 2]) -> [f64; 3] {
    // Cb = (B - Y) / 1.8556, Cr = (R - Y) / 1.5748.
    let (blue, red) = (-1.8556 * blue_less, -1.5748 * red_less);
    let green = -(LUMA[2] * blue + LUMA[0] * red) / LUMA[1];
    [rgb[0] + red, rgb[1] + green, rgb[2] + blue].map(|value| value.clamp(0.0, 1.0))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_background_goes_also_in_its_shadows_and_everything_else_stays() {
        let keyer = ColourKey::default().keyer();
        let of = |rgb: [u8; 3]| keyer.pixel(rgb.map(|value| f64::from(value) / 255.0));
        assert_eq!(of([0, 177, 64])[3], 0.0);
        assert_eq!(of([0, 140, 50])[3], 0.0, "in a shadow");
        for colour in [[210, 170, 140], [20, 20, 20], [240, 240, 240], [40, 60, 160], [180, 30, 40]] {
            let [r, g, b, share] = of(colour);
            assert!(share > 0.99, "{colour:?}: {share}");
            let kept = [r, g, b].iter().zip(colour).all(|(got, want)| (got * 255.0 - f64::from(want)).abs() < 1.5);
            assert!(kept, "{colour:?}: {:?}", [r, g, b].map(|value| value * 255.0));
        }
    }

    #[test]
    fn spill_is_made_grey_and_its_brightness_stays() {
        let keyer = ColourKey { near: 0.02, soft: 0.02, spill: 1.0, ..ColourKey::default() }.keyer();
        // Grey with a green shine.
        let shine = [0.5, 0.62, 0.53];
        let [r, g, b, share] = keyer.pixel(shine);
        assert!(share > 0.99);
        let luma = |rgb: [f64; 3]| LUMA.iter().zip(rgb).map(|(weight, value)| weight * value).sum::<f64>();
        assert!((luma([r, g, b]) - luma(shine)).abs() < 1e-3);
        assert!((g - r).abs() < 0.35 * (shine[1] - shine[0]), "{r} {g} {b}");
        let half = ColourKey { near: 0.1, soft: 0.4, ..ColourKey::default() }.keyer();
        let between = half.pixel([0.3, 0.6, 0.35])[3];
        assert!(between > 0.05 && between < 0.95, "an edge is partly there: {between}");
    }
}
