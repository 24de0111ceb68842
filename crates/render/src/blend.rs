//! Blend modes.
//!
//! # Source
//! W3C, *Compositing and Blending Level 1*, section 9.1 (separable blend modes: `multiply`, `screen`, `overlay`) and
//! section 10.1; `plus-lighter` of
//! Level 2 for added light. All in the film's own encoding, as browsers do.

use jampin_core::attachment::Blend;

/// What becomes of one channel, 0 to 1, where a source of this coverage lies over an opaque backdrop:
/// `(1 - a) cb + a B(cb, cs)`.
pub fn blend_channel(blend: Blend, backdrop: f32, source: f32, coverage: f32) -> f32 {
    match blend {
        Blend::Add => (backdrop + coverage * source).min(1.0),
        _ => (1.0 - coverage) * backdrop + coverage * mixed(blend, backdrop, source),
    }
}

/// `B(cb, cs)`.
fn mixed(blend: Blend, backdrop: f32, source: f32) -> f32 {
    match blend {
        Blend::Normal | Blend::Add => source,
        Blend::Multiply => backdrop * source,
        Blend::Screen => backdrop + source - backdrop * source,
        // Hard light with the layers exchanged.
        Blend::Overlay if backdrop <= 0.5 => 2.0 * backdrop * source,
        Blend::Overlay => mixed(Blend::Screen, 2.0 * backdrop - 1.0, source),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Worked by hand from the formulas of the recommendation.
    #[test]
    fn the_formulas_of_the_recommendation() {
        let cases = [
            (Blend::Normal, 0.2, 0.6, 0.6),
            (Blend::Multiply, 0.5, 0.5, 0.25),
            (Blend::Screen, 0.5, 0.5, 0.75),
            (Blend::Overlay, 0.25, 0.6, 0.3),
            (Blend::Overlay, 0.75, 0.6, 0.8),
            (Blend::Add, 0.5, 0.3, 0.8),
            (Blend::Add, 0.8, 0.6, 1.0),
        ];
        for (blend, backdrop, source, want) in cases {
            let got = blend_channel(blend, backdrop, source, 1.0);
            assert!((got - want).abs() < 1e-6, "{blend:?} of {backdrop} and {source}: {got}, by hand {want}");
        }
        // Half covered: half way (Porter & Duff 1984, source over).
        assert!((blend_channel(Blend::Multiply, 0.8, 0.5, 0.5) - 0.6).abs() < 1e-6);
        assert!((blend_channel(Blend::Normal, 0.2, 0.6, 0.25) - 0.3).abs() < 1e-6);
        assert_eq!(blend_channel(Blend::Overlay, 0.7, 0.1, 0.0), 0.7, "nothing there changes nothing");
    }
}
