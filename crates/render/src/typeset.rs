//! Labels to artwork. Text becomes outlines here, once, so that browser and exporter paint the same paths.

use std::fmt::Write;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::sync::Arc;

use jampin_core::scene::{FlarePart, Font, LabelArt, Measure};
use resvg::usvg::{self, Options, Tree, WriteOptions, fontdb};
use thiserror::Error;

use crate::flare::flare_svg;

/// Distance of baselines, in letter heights: common practice for short captions.
const LINE_HEIGHT: f64 = 1.22;
/// Where the first baseline lies below the top of its line, in letter heights: centres capitals in the line.
const BASELINE: f64 = 0.96;
/// Lines beyond this are not drawn.
const MAX_LINES: usize = 20;

/// The fonts that ship with the application: family and weight as usvg finds them, and the file.
const FONTS: [(Font, &str, u32, &[u8]); 5] = [
    (Font::Sans, "Public Sans", 600, include_bytes!("../fonts/PublicSans_600SemiBold.ttf")),
    (Font::SansBold, "Public Sans", 700, include_bytes!("../fonts/PublicSans_700Bold.ttf")),
    (Font::Condensed, "Barlow Condensed", 600, include_bytes!("../fonts/BarlowCondensed_600SemiBold.ttf")),
    (Font::Serif, "Bitter", 500, include_bytes!("../fonts/Bitter_500Medium.ttf")),
    (Font::Hand, "Caveat", 700, include_bytes!("../fonts/Caveat_700Bold.ttf")),
];

/// Artwork could not be made.
#[derive(Debug, Error)]
#[error("the label cannot be drawn: {0}")]
pub struct TypesetError(#[from] usvg::Error);

/// Finished artwork: paths only, its origin at its top left corner.
#[derive(Debug)]
pub struct Artwork {
    /// Standalone SVG without text, style sheets or outside references.
    pub svg: String,
    /// Width in pixels.
    pub width: f64,
    /// Height in pixels.
    pub height: f64,
    pub(crate) tree: Tree,
}

/// Makes artwork of labels.
#[derive(Clone, Debug)]
pub struct Typesetter {
    fonts: Arc<fontdb::Database>,
}

impl Default for Typesetter {
    fn default() -> Self {
        let mut fonts = fontdb::Database::new();
        for (_, _, _, bytes) in FONTS {
            fonts.load_font_source(fontdb::Source::Binary(Arc::new(bytes)));
        }
        Self { fonts: Arc::new(fonts) }
    }
}

impl Typesetter {
    /// The artwork of a label.
    pub fn artwork(&self, art: &LabelArt) -> Result<Artwork, TypesetError> {
        let text_width = self.text_width(art)?;
        let lines = lines(art).count().max(1);
        let padding = art.box_style.as_ref().map_or(0.0, |style| style.padding);
        let width = (text_width + 2.0 * padding).max(1.0);
        let height = (lines as f64 * art.size * LINE_HEIGHT + 1.2 * padding).max(1.0);
        let mut svg = open_svg(width, height);
        if let Some(style) = &art.box_style {
            let radius = style.radius.min(height / 2.0);
            let (fill, opacity) = (&style.fill, style.opacity);
            write!(
                svg,
                r#"<rect width="{width}" height="{height}" rx="{radius}" fill="{fill}" fill-opacity="{opacity}"/>"#
            )
            .expect("writing to a string does not fail");
        }
        write_text(&mut svg, art, padding, 0.6 * padding);
        svg.push_str("</svg>");
        let tree = self.parse(&svg)?;
        Ok(Artwork { svg: tree.to_string(&WriteOptions::default()), width, height, tree })
    }

    /// A piece of a flare.
    pub fn flare(&self, part: &FlarePart) -> Result<Artwork, TypesetError> {
        let tree = self.parse(&flare_svg(part))?;
        // Gradients are named; in one page with other artwork no two may have one name.
        let mut hasher = DefaultHasher::new();
        tree.to_string(&WriteOptions::default()).hash(&mut hasher);
        let options = WriteOptions { id_prefix: Some(format!("f{:x}-", hasher.finish())), ..WriteOptions::default() };
        let (width, height) = (2.0 * part.reach.0, 2.0 * part.reach.1);
        Ok(Artwork { svg: tree.to_string(&options), width, height, tree })
    }

    fn text_width(&self, art: &LabelArt) -> Result<f64, TypesetError> {
        let mut svg = open_svg(1e5, 1e5);
        write_text(&mut svg, art, 0.0, 0.0);
        svg.push_str("</svg>");
        let tree = self.parse(&svg)?;
        Ok(f64::from(tree.root().bounding_box().right().max(0.0)))
    }

    fn parse(&self, svg: &str) -> Result<Tree, TypesetError> {
        let options = Options { fontdb: Arc::clone(&self.fonts), ..Options::default() };
        Ok(Tree::from_str(svg, &options)?)
    }
}

impl Measure for Typesetter {
    fn measure(&self, art: &LabelArt) -> (f64, f64) {
        // A label that cannot be drawn takes no room; drawing it reports why.
        self.artwork(art).map_or((0.0, 0.0), |artwork| (artwork.width, artwork.height))
    }
}

fn open_svg(width: f64, height: f64) -> String {
    format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}">"#)
}

fn lines(art: &LabelArt) -> impl Iterator<Item = &str> {
    art.text.split('\n').map(str::trim_end).take(MAX_LINES)
}

fn write_text(svg: &mut String, art: &LabelArt, left: f64, top: f64) {
    let (_, family, weight, _) = FONTS.iter().find(|font| font.0 == art.font).unwrap_or(&FONTS[0]);
    for (i, line) in lines(art).enumerate().filter(|(_, line)| !line.trim().is_empty()) {
        let baseline = top + (i as f64 * LINE_HEIGHT + BASELINE) * art.size;
        let (size, colour, line) = (art.size, &art.colour, escape(line));
        write!(
            svg,
            r#"<text x="{left}" y="{baseline}" font-family="{family}" font-weight="{weight}" font-size="{size}" fill="{colour}" xml:space="preserve">{line}</text>"#
        )
        .expect("writing to a string does not fail");
    }
}

/// Makes any typed text harmless inside XML; characters that XML forbids are left out.
fn escape(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for character in text.chars() {
        match character {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\t' => out.push(' '),
            c if c.is_control() || matches!(c, '\u{FFFE}' | '\u{FFFF}') => {}
            c => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use jampin_core::scene::Label;

    use super::*;

    #[test]
    fn every_font_ships_and_draws() {
        let typesetter = Typesetter::default();
        let mut widths = Vec::new();
        for (font, ..) in FONTS {
            let art = Label { font, box_style: None, ..Label::named("Harrowmoss 27") }.art("");
            let artwork = typesetter.artwork(&art).unwrap();
            assert!(artwork.svg.contains("<path") && !artwork.svg.contains("<text"), "{font:?}");
            widths.push((artwork.width * 10.0) as i64);
        }
        widths.sort_unstable();
        widths.dedup();
        assert_eq!(widths.len(), FONTS.len(), "two faces are the same: {widths:?}");
    }

    #[test]
    fn typed_text_cannot_break_out() {
        let nasty = "<script>alert(1)</script> & \"quotes\" \u{1} ]]>";
        let artwork = Typesetter::default().artwork(&Label::named(nasty).art("")).unwrap();
        assert!(!artwork.svg.contains("script"));
        assert!(artwork.width > 100.0);
    }

    #[test]
    fn lines_add_height_and_an_empty_label_is_no_error() {
        let typesetter = Typesetter::default();
        let one = typesetter.measure(&Label::named("Guard").art(""));
        let two = typesetter.measure(&Label::named("Guard\nof the open day").art(""));
        assert!(two.1 > one.1 + 20.0 && two.0 > one.0);
        assert!(typesetter.artwork(&Label::named("  ").art("")).is_ok());
        assert!(typesetter.artwork(&Label { box_style: None, ..Label::named("") }.art("")).is_ok());
    }
}
