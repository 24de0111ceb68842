//! Labels to artwork. Text becomes outlines here, once, so that browser and exporter paint the same paths.

use std::collections::HashMap;
use std::fmt::Write;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::sync::{Arc, Mutex, PoisonError};

use jampin_core::attachment::{BoxStyle, FlarePart, Font, LabelArt};
use jampin_core::scene::Measure;
use resvg::usvg::{self, Options, Tree, WriteOptions, fontdb};
use thiserror::Error;

use crate::flare::flare_svg;

/// Distance of baselines, in letter heights: common practice for short captions.
const LINE_HEIGHT: f64 = 1.22;
/// Where the first baseline lies below the top of its line, in letter heights: centres capitals in the line.
const BASELINE: f64 = 0.96;
/// So much finished artwork is kept: keyframes can make for some hundred pieces of one label.
const MOST_KEPT: usize = 1200;
/// Lines beyond this are not drawn.
const MAX_LINES: usize = 20;

/// The fonts that ship with the application: family and weight as usvg finds them, and the file.
const FONTS: [(Font, &str, u32, &[u8]); 8] = [
    (Font::SansRegular, "Public Sans", 400, include_bytes!("../fonts/PublicSans_400Regular.ttf")),
    (Font::Sans, "Public Sans", 600, include_bytes!("../fonts/PublicSans_600SemiBold.ttf")),
    (Font::SansBold, "Public Sans", 700, include_bytes!("../fonts/PublicSans_700Bold.ttf")),
    (Font::CondensedMedium, "Barlow Condensed", 500, include_bytes!("../fonts/BarlowCondensed_500Medium.ttf")),
    (Font::Condensed, "Barlow Condensed", 600, include_bytes!("../fonts/BarlowCondensed_600SemiBold.ttf")),
    (Font::Serif, "Bitter", 500, include_bytes!("../fonts/Bitter_500Medium.ttf")),
    (Font::SerifBold, "Bitter", 700, include_bytes!("../fonts/Bitter_700Bold.ttf")),
    (Font::Hand, "Caveat", 700, include_bytes!("../fonts/Caveat_700Bold.ttf")),
];

/// For letters that these do not have, in this order: Greek, Cyrillic and more, Arabic, Hebrew, then Chinese, Japanese
/// and Korean.
const FALLBACKS: [&[u8]; 4] = [
    include_bytes!("../fonts/NotoSans_700Bold.ttf"),
    include_bytes!("../fonts/NotoSansArabic_700Bold.ttf"),
    include_bytes!("../fonts/NotoSansHebrew_700Bold.ttf"),
    include_bytes!("../fonts/DroidSansFallback.ttf"),
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
    /// How far shadows and lines reach beyond that, in pixels.
    pub bleed: f64,
    pub(crate) tree: Tree,
}

/// Makes artwork of labels and flares, and keeps it: the same is asked for with every change of a shot. Clones share
/// what they keep.
#[derive(Clone, Debug)]
pub struct Typesetter {
    fonts: Arc<fontdb::Database>,
    /// By all that is known of how it looks.
    kept: Arc<Mutex<HashMap<String, Arc<Artwork>>>>,
}

impl Default for Typesetter {
    fn default() -> Self {
        let mut fonts = fontdb::Database::new();
        // The first that has a letter is taken, so the fallbacks go before the fonts that are chosen by name.
        for bytes in FALLBACKS.into_iter().chain(FONTS.iter().map(|font| font.3)) {
            fonts.load_font_source(fontdb::Source::Binary(Arc::new(bytes)));
        }
        Self { fonts: Arc::new(fonts), kept: Arc::default() }
    }
}

impl Typesetter {
    /// The artwork of a label.
    pub fn artwork(&self, art: &LabelArt) -> Result<Arc<Artwork>, TypesetError> {
        self.kept(format!("{art:?}"), || self.typeset(art))
    }

    /// A piece of a flare.
    pub fn flare(&self, part: &FlarePart) -> Result<Arc<Artwork>, TypesetError> {
        let size = (2.0 * part.reach.0, 2.0 * part.reach.1);
        self.kept(format!("{part:?}"), || self.finished(&flare_svg(part), size, 0.0))
    }

    fn kept(
        &self,
        key: String,
        make: impl FnOnce() -> Result<Artwork, TypesetError>,
    ) -> Result<Arc<Artwork>, TypesetError> {
        let kept = || self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = kept().get(&key) {
            return Ok(Arc::clone(known));
        }
        // Not under the lock: others may go on meanwhile.
        let made = Arc::new(make()?);
        let mut kept = kept();
        if kept.len() >= MOST_KEPT {
            kept.clear();
        }
        kept.insert(key, Arc::clone(&made));
        Ok(made)
    }

    fn typeset(&self, art: &LabelArt) -> Result<Artwork, TypesetError> {
        let text_width = self.text_width(art)?;
        let padding = art.box_style.as_ref().map_or(0.0, |style| style.padding);
        let width = (text_width + 2.0 * padding).max(1.0);
        let height = (text_height(art) + 1.2 * padding).max(1.0);
        let mut svg = open_svg(width, height);
        write_shadow(&mut svg, art, (width, height));
        if let Some(style) = &art.box_style {
            write_box(&mut svg, style, (width, height));
        }
        let shaded = art.shadow.is_some() && art.box_style.is_none();
        svg.push_str(if shaded { r##"<g filter="url(#shadow)">"## } else { "<g>" });
        write_text(&mut svg, art, (padding, padding + text_width), 0.6 * padding);
        svg.push_str("</g></svg>");
        self.finished(&svg, (width, height), art.bleed())
    }

    /// Finished artwork of an SVG of ours. Filters and gradients are named; in one page with other artwork no two may
    /// have one name.
    fn finished(&self, svg: &str, (width, height): (f64, f64), bleed: f64) -> Result<Artwork, TypesetError> {
        let tree = self.parse(svg)?;
        let mut hasher = DefaultHasher::new();
        tree.to_string(&WriteOptions::default()).hash(&mut hasher);
        let options = WriteOptions { id_prefix: Some(format!("a{:x}-", hasher.finish())), ..WriteOptions::default() };
        Ok(Artwork { svg: tree.to_string(&options), width, height, bleed, tree })
    }

    fn text_width(&self, art: &LabelArt) -> Result<f64, TypesetError> {
        let mut svg = open_svg(1e5, 1e5);
        write_text(&mut svg, art, (0.0, 0.0), 0.0);
        svg.push_str("</svg>");
        let tree = self.parse(&svg)?;
        // To the right of where lines begin, and to the left of where those begin that run left.
        let ink = tree.root().bounding_box();
        Ok(f64::from(ink.right().max(-ink.left()).max(0.0)))
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

/// A line of text: letter height, colour, and what is written.
struct Line<'a> {
    size: f64,
    colour: &'a str,
    text: &'a str,
}

fn lines(art: &LabelArt) -> Vec<Line<'_>> {
    let first = art.text.split('\n').map(|text| Line { size: art.size, colour: &art.colour, text });
    let second = art.second.iter().flat_map(|second| {
        let colour = second.colour.as_ref().unwrap_or(&art.colour);
        second.text.split('\n').map(move |text| Line { size: art.size * second.size, colour, text })
    });
    first.chain(second).take(MAX_LINES).collect()
}

fn text_height(art: &LabelArt) -> f64 {
    lines(art).iter().map(|line| line.size * LINE_HEIGHT).sum()
}

fn write_box(svg: &mut String, style: &BoxStyle, (width, height): (f64, f64)) {
    let radius = style.radius.min(height / 2.0);
    let (fill, opacity) = (&style.fill, style.opacity);
    let border = style.border.as_ref().filter(|border| border.width > 0.0);
    let border =
        border.map_or(String::new(), |edge| format!(r#"stroke="{}" stroke-width="{}""#, edge.colour, edge.width));
    write!(
        svg,
        r#"<rect width="{width}" height="{height}" rx="{radius}" fill="{fill}" fill-opacity="{opacity}" {border}/>"#
    )
    .expect("writing to a string does not fail");
}

/// The shadow: of the box as a shape of its own, of letters as a filter that they name.
fn write_shadow(svg: &mut String, art: &LabelArt, (width, height): (f64, f64)) {
    let Some(shadow) = &art.shadow else { return };
    let reach = art.bleed() + 1.0;
    let (x, y, w, h) = (-reach, -reach, width + 2.0 * reach, height + 2.0 * reach);
    let region = format!(
        r#"id="shadow" filterUnits="userSpaceOnUse" x="{x}" y="{y}" width="{w}" height="{h}" color-interpolation-filters="sRGB""#
    );
    let (dx, dy, soft) = (shadow.shift.x, shadow.shift.y, shadow.softness);
    let (colour, opacity) = (&shadow.colour, shadow.opacity);
    let text = match &art.box_style {
        Some(style) => {
            let radius = style.radius.min(height / 2.0);
            let blur = if soft > 0.0 { r##"filter="url(#shadow)""## } else { "" };
            format!(
                r#"<filter {region}><feGaussianBlur stdDeviation="{soft}"/></filter><rect x="{dx}" y="{dy}"
                width="{width}" height="{height}" rx="{radius}" fill="{colour}" fill-opacity="{opacity}" {blur}/>"#
            )
        }
        None => format!(
            r#"<filter {region}><feDropShadow dx="{dx}" dy="{dy}" stdDeviation="{soft}" flood-color="{colour}" flood-opacity="{opacity}"/></filter>"#
        ),
    };
    svg.push_str(&text);
}

/// Lines between these columns: those written from right to left begin at the right.
fn write_text(svg: &mut String, art: &LabelArt, (left, right): (f64, f64), top: f64) {
    let (_, family, weight, _) = FONTS.iter().find(|font| font.0 == art.font).unwrap_or(&FONTS[0]);
    let outline = art.outline.as_ref().filter(|edge| edge.width > 0.0);
    // Half of the stroke lies under the letters.
    let outline = outline.map_or(String::new(), |edge| {
        format!(
            r#"stroke="{}" stroke-width="{}" stroke-linejoin="round" paint-order="stroke""#,
            edge.colour,
            2.0 * edge.width
        )
    });
    let mut top = top;
    for Line { size, colour, text } in lines(art) {
        let baseline = top + BASELINE * size;
        top += LINE_HEIGHT * size;
        let line = escape(text.trim_end());
        if line.trim().is_empty() {
            continue;
        }
        let (x, anchor) = if runs_left(text) { (right, "end") } else { (left, "start") };
        write!(
            svg,
            r#"<text x="{x}" text-anchor="{anchor}" y="{baseline}" font-family="{family}" font-weight="{weight}"
                font-size="{size}" fill="{colour}" {outline} xml:space="preserve">{line}</text>"#
        )
        .expect("writing to a string does not fail");
    }
}

/// Whether a text is written from right to left: by its first letter of a script with a direction (Unicode Standard
/// Annex #9, rules P2 and P3, for the blocks of Hebrew, Arabic and their neighbours).
fn runs_left(text: &str) -> bool {
    let is_left =
        |letter: char| matches!(letter, '\u{590}'..='\u{8FF}' | '\u{FB1D}'..='\u{FDFF}' | '\u{FE70}'..='\u{FEFF}');
    text.chars().find(|letter| letter.is_alphabetic()).is_some_and(is_left)
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
    use jampin_core::attachment::{Edge, Label, Second, Shadow};
    use jampin_core::geometry::Point;

    use super::*;

    #[test]
    fn what_was_made_is_kept() {
        let typesetter = Typesetter::default();
        let art = |text: &str| typesetter.artwork(&Label::named(text).art("")).unwrap();
        assert!(Arc::ptr_eq(&art("Guard"), &typesetter.clone().artwork(&Label::named("Guard").art("")).unwrap()));
        assert!(!Arc::ptr_eq(&art("Guard"), &art("Mira")));
    }

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

    #[test]
    fn letters_that_a_font_does_not_have_come_from_another() {
        let typesetter = Typesetter::default();
        let width = |text: &str| typesetter.measure(&Label { box_style: None, ..Label::named(text) }.art("")).0;
        // Greek, Cyrillic, Arabic, Hebrew, Chinese, Japanese, Korean.
        for text in ["Σταθμός", "Станция", "محطة", "תחנה", "车站", "えき", "기차역"] {
            let paths = typesetter.artwork(&Label::named(text).art("")).unwrap().svg.clone();
            assert!(width(text) > 30.0 && paths.len() > 800, "{text}: {} {paths}", width(text));
        }
        // Arabic letters join: together they are narrower than apart.
        let apart: f64 = "سسسس".chars().map(|letter| width(&letter.to_string())).sum();
        assert!(width("سسسس") < 0.9 * apart, "{} {apart}", width("سسسس"));
    }

    #[test]
    fn text_from_right_to_left_starts_at_the_right() {
        // The first letter is drawn last in the order of columns: with a thin one first, the ink begins with the wide
        // one.
        let typesetter = Typesetter::default();
        let left_ink = |text: &str| {
            let artwork = typesetter.artwork(&Label { box_style: None, ..Label::named(text) }.art("")).unwrap();
            let mut pixels =
                resvg::tiny_skia::Pixmap::new(artwork.width as u32 + 1, artwork.height as u32 + 1).unwrap();
            resvg::render(&artwork.tree, resvg::tiny_skia::Transform::identity(), &mut pixels.as_mut());
            let half = pixels.width() / 2;
            (0..pixels.height())
                .flat_map(|y| (0..half).map(move |x| (x, y)))
                .filter(|&(x, y)| pixels.pixel(x, y).unwrap().alpha() > 128)
                .count()
        };
        let (thin_first, wide_first) = (left_ink("יששש"), left_ink("שששי"));
        assert!(thin_first > wide_first + 20, "{thin_first} {wide_first}");
    }

    #[test]
    fn shadow_outline_border_and_second_text_are_there() {
        let typesetter = Typesetter::default();
        let plain = Label { box_style: None, ..Label::named("Guard") };
        let edge = |width| Edge { colour: "#102030".into(), width };
        let shadow = Shadow { colour: "#000000".into(), opacity: 0.6, shift: Point::new(3.0, 4.0), softness: 2.0 };
        let dressed = Label {
            outline: Some(edge(2.0)),
            second: Some(Second { text: "of the open day".into(), size: 0.6, colour: Some("#e8c656".into()) }),
            shadow: Some(shadow.clone()),
            ..plain.clone()
        };
        let (bare, dressed) =
            (typesetter.artwork(&plain.art("")).unwrap(), typesetter.artwork(&dressed.art("")).unwrap());
        assert!(dressed.height > bare.height + 10.0 && dressed.bleed > 9.0 && bare.bleed == 0.0);
        for part in ["#102030", "#e8c656", "<filter"] {
            assert!(dressed.svg.contains(part), "{part}: {}", dressed.svg);
        }
        let mut boxed = Label { shadow: Some(shadow), ..Label::named("Guard") };
        boxed.box_style.as_mut().unwrap().border = Some(edge(3.0));
        let boxed = typesetter.artwork(&boxed.art("")).unwrap();
        assert!(boxed.svg.contains("<filter") && boxed.svg.contains("#102030"));
    }
}
