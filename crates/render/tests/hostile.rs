//! Thousands of changed SVGs: none makes it panic, and what is taken in is harmless. `JAMPIN_DRILL` multiplies them.

use jampin_render::harmless_svg;
use jampin_testkit::{Dice, changed_bytes, inputs};

const PICTURES: [&str; 3] = [
    r##"<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="80" height="40" viewBox="0 0 80 40">
        <defs><linearGradient id="a" gradientTransform="rotate(30)"><stop offset="0" stop-color="#ff0000"/><stop offset="1"/></linearGradient>
        <clipPath id="c"><circle cx="20" cy="20" r="15"/></clipPath><pattern id="p" width="5" height="5"><rect width="2" height="2"/></pattern></defs>
        <g transform="translate(3 4) scale(1.5)" clip-path="url(#c)"><path id="b" d="M1 1C3 4 5 6 7 8S1 2 3 4A3 4 5 0 1 7 8z" fill="url(#a)"/></g>
        <use xlink:href="#b" x="10"/><rect x="1e1" width="50%" height="3mm" fill="url(#p)" stroke="red" stroke-dasharray="1 2 3"/></svg>"##,
    r##"<svg width="30" height="20" xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script><style>rect { fill: blue }</style>
        <rect width="9" height="9" onclick="alert(2)"/><image href="file:///etc/hostname" width="10" height="10"/><text x="1" y="9">Guard</text></svg>"##,
    r##"<?xml version="1.0" encoding="UTF-8"?><!DOCTYPE svg [<!ENTITY red "#f00">]><svg xmlns="http://www.w3.org/2000/svg" viewBox="-5 -5 10 10">
        <polygon points="0,0 1,2 3,-4" fill="&red;" opacity=".3"/><mask id="m"><circle r="4" fill="#fff"/></mask><circle r="4" mask="url(#m)"/></svg>"##,
];

/// Anywhere, or within one attribute, so that it is still read.
fn changed(dice: &mut Dice, svg: &str) -> Vec<u8> {
    if dice.one_in(3) {
        return changed_bytes(dice, svg.as_bytes());
    }
    let mut parts: Vec<Vec<u8>> = svg.split('"').map(|part| part.as_bytes().to_vec()).collect();
    let which = 2 * dice.below(parts.len() as u64 / 2) as usize + 1;
    parts[which] = changed_bytes(dice, &parts[which]);
    parts.join(&b'"')
}

#[test]
fn no_svg_makes_it_panic_and_none_stays_harmful() {
    let mut dice = Dice(5);
    let (count, mut taken) = (inputs(1500), 0);
    for _ in 0..count {
        let which = dice.below(3) as usize;
        let bytes = changed(&mut dice, PICTURES[which]);
        let Ok((svg, size)) = harmless_svg(&bytes) else { continue };
        taken += 1;
        assert!(size.iter().all(|side| *side > 0), "{size:?}");
        for word in ["<script", "onclick", "hostname", "<!ENTITY", "<style"] {
            assert!(!svg.contains(word), "{word} in {svg} of {}", String::from_utf8_lossy(&bytes));
        }
        // What was made harmless once is so, and stays as it is.
        assert!(harmless_svg(svg.as_bytes()).is_ok(), "{svg}");
    }
    assert!(taken > count / 10, "{taken} of {count}");
}
