//! Colours as the core writes them.

use resvg::tiny_skia::Color;

/// `#rrggbb`; anything else is black: the core has checked it.
pub(crate) fn parse_colour(text: &str) -> Color {
    let part = |at: usize| text.get(at..at + 2).and_then(|digits| u8::from_str_radix(digits, 16).ok()).unwrap_or(0);
    Color::from_rgba8(part(1), part(3), part(5), 255)
}
