//! What an SVG may ask for. A few lines of it can name a thing that repeats itself a thousand million times, and a
//! filter over a picture of any size: both are found before anything is drawn.

use std::collections::HashMap;

use resvg::usvg::roxmltree::{Document, Node, NodeId, ParsingOptions};
use thiserror::Error;

/// Longest SVG, in bytes: logos have some ten thousand.
const MOST_BYTES: usize = 4 << 20;
/// Elements with all that is repeated: an intricate crest has a thousand.
const MOST_ELEMENTS: u64 = 50_000;
/// How deep elements lie in one another, and references lead to references.
const DEEPEST: usize = 100;

/// An SVG that asks for too much.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub enum TooMuch {
    /// It is too long.
    #[error("it has {:.1} MB, and {} MB at most are read; simplify it, or bring it as a PNG", *.0 as f64 / 1e6, MOST_BYTES >> 20)]
    Bytes(usize),
    /// It has too many elements.
    #[error(
        "it has more than {MOST_ELEMENTS} elements, those that are repeated counted each time; simplify it, or bring it as a PNG"
    )]
    Elements,
    /// Its elements lie too deep in one another.
    #[error("its groups lie more than {DEEPEST} deep in one another; simplify it, or bring it as a PNG")]
    Depth,
    /// It has filters.
    #[error("it has filters (blur, drop shadow), which are not drawn; flatten them, or bring it as a PNG")]
    Filter,
    /// It is no text.
    #[error("it is not in UTF-8")]
    Encoding,
    /// It is no XML.
    #[error("{0}")]
    Xml(String),
}

/// Whether an SVG can be drawn in bounded time and memory.
pub(crate) fn check(bytes: &[u8]) -> Result<(), TooMuch> {
    if bytes.len() > MOST_BYTES {
        return Err(TooMuch::Bytes(bytes.len()));
    }
    let text = std::str::from_utf8(bytes).map_err(|_| TooMuch::Encoding)?;
    // Attributes are no nodes; a text between two elements is one.
    let options =
        ParsingOptions { allow_dtd: true, nodes_limit: 2 * MOST_ELEMENTS as u32, ..ParsingOptions::default() };
    let document = Document::parse_with_options(text, options).map_err(|error| match error {
        resvg::usvg::roxmltree::Error::NodesLimitReached => TooMuch::Elements,
        other => TooMuch::Xml(other.to_string()),
    })?;
    let elements = || document.root().descendants().filter(Node::is_element);
    if elements().any(|element| element.ancestors().take(DEEPEST + 2).count() > DEEPEST + 1) {
        return Err(TooMuch::Depth);
    }
    if elements()
        .any(|element| matches!(element.tag_name().name(), "filter") || element.tag_name().name().starts_with("fe"))
    {
        return Err(TooMuch::Filter);
    }
    let named = elements().filter_map(|element| Some((element.attribute("id")?, element))).collect();
    Counter { named, known: HashMap::new() }.elements(document.root(), 0).map(|_| ())
}

/// Counts elements with all that they refer to.
struct Counter<'a, 'input> {
    named: HashMap<&'a str, Node<'a, 'input>>,
    known: HashMap<NodeId, u64>,
}

impl Counter<'_, '_> {
    fn elements(&mut self, node: Node<'_, '_>, depth: usize) -> Result<u64, TooMuch> {
        if depth > DEEPEST {
            return Err(TooMuch::Depth);
        }
        if let Some(known) = self.known.get(&node.id()) {
            return Ok(*known);
        }
        let mut sum = 0u64;
        for element in node.descendants().filter(Node::is_element) {
            sum += 1;
            for id in element.attributes().filter_map(|attribute| referred(attribute.value())) {
                if let Some(target) = self.named.get(id).copied() {
                    sum += self.elements(target, depth + 1)?;
                }
            }
            if sum > MOST_ELEMENTS {
                return Err(TooMuch::Elements);
            }
        }
        self.known.insert(node.id(), sum);
        Ok(sum)
    }
}

/// What `#name` and `url(#name)` refer to.
fn referred(value: &str) -> Option<&str> {
    let rest = value.split_once('#')?.1;
    Some(rest.split([')', '"', '\'']).next().unwrap_or(rest).trim())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn svg(inside: &str) -> String {
        format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="90" height="90">{inside}</svg>"#)
    }

    #[test]
    fn ordinary_logos_are_fine() {
        let crest = svg(
            r##"<defs><linearGradient id="g"><stop offset="0" stop-color="#fff"/></linearGradient><g id="leaf"><path d="M0 0h9"/></g></defs>
            <use href="#leaf"/><use href="#leaf" x="9"/><rect width="9" height="9" fill="url(#g)" stroke="#a33d17"/>"##,
        );
        assert_eq!(check(crest.as_bytes()), Ok(()));
        let entity = format!(r#"<!DOCTYPE svg [<!ENTITY ns "http://www.w3.org/2000/svg">]>{}"#, svg(""));
        assert_eq!(check(entity.as_bytes()), Ok(()));
    }

    /// Each of these once took seconds or minutes, or the program with it.
    #[test]
    fn what_would_never_end_is_refused_at_once() {
        let blur = svg(
            r#"<filter id="f"><feGaussianBlur stdDeviation="9999"/></filter><rect filter="url(#f)" width="9" height="9"/>"#,
        );
        assert_eq!(check(blur.as_bytes()), Err(TooMuch::Filter));
        let level =
            |n: usize| format!(r##"<g id="a{}">{}</g>"##, n + 1, format!(r##"<use href="#a{n}"/>"##).repeat(10));
        let uses: String = (0..10).map(level).collect();
        let bomb = svg(&format!(r#"<rect id="a0" width="1" height="1"/>{uses}"#));
        assert_eq!(check(bomb.as_bytes()), Err(TooMuch::Elements));
        let patterns = bomb.replace("<use href=\"", "<rect fill=\"url(").replace("\"/>", ")\"/>");
        assert!(check(patterns.as_bytes()).is_err());
        let own = svg(r##"<g id="a"><use href="#a"/></g>"##);
        assert_eq!(check(own.as_bytes()), Err(TooMuch::Depth));
        assert_eq!(check(svg(&"<g/>".repeat(60_000)).as_bytes()), Err(TooMuch::Elements));
        assert_eq!(
            check(svg(&format!("{}{}", "<g>".repeat(5000), "</g>".repeat(5000))).as_bytes()),
            Err(TooMuch::Depth)
        );
        assert!(matches!(check(svg(&" ".repeat(5 << 20)).as_bytes()), Err(TooMuch::Bytes(_))));
        assert!(matches!(check(b"<svg"), Err(TooMuch::Xml(_))));
        assert_eq!(check(b"<svg>\xff</svg>"), Err(TooMuch::Encoding));
        let laughs = (1..10).map(|n| format!(r#"<!ENTITY e{n} "{}">"#, format!("&e{};", n - 1).repeat(10)));
        let laughs: String = laughs.collect();
        let laughs = format!(r#"<!DOCTYPE svg [<!ENTITY e0 "ha">{laughs}]>{}"#, svg("<text>&e9;</text>"));
        assert!(matches!(check(laughs.as_bytes()), Err(TooMuch::Xml(_))));
    }
}
