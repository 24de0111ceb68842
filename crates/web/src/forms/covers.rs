//! The forms of covers, and of what stands in front.

use super::field::{Group, as_it_moves, check, choice, choice_of, colour, group, number, part, percent, row, whole};
use super::prototypes::{self, effects};

pub(super) fn cover() -> Vec<Group> {
    let rows = [
        row(
            "Effect",
            [
                choice("effect", "Effect", effects()).with("byKey", true).id("cover-effect"),
                number("effect.blur", "Deviation of the blur").unit("px").when("effect.blur"),
                whole("effect.mosaic", "Side of a square").unit("px").when("effect.mosaic"),
                colour("effect.plain", "Colour of the cover").when("effect.plain"),
                percent("effect.saturation", "Share of colour that is left").when("effect.saturation"),
            ],
        ),
        row(
            "Length, direction",
            [
                number("effect.streak.length", "Length of the streak").unit("px").when("effect.streak"),
                number("effect.streak.angle", "Direction, from level, clockwise").unit("°").when("effect.streak"),
            ],
        ),
        row("Outline", [choice_of("outline", "Outline", "outlines")]),
        row(
            "Size",
            [number("size.0", "Width").id("cover-width").fixed(), number("size.1", "Height").unit("px").fixed()],
        ),
        row("Place", [number("place.x", "Place across").fixed(), number("place.y", "Place down").unit("px").fixed()]),
        row(
            "Turn, soft edge",
            [number("turn", "Its own turn").unit("°").fixed(), number("feather", "Softness of the edge").unit("px")],
        ),
        row("Covers", [check("inside_out", "Everything but what is inside", "all but the inside")]),
        as_it_moves(["facing.turns", "facing.grows", "facing.tilts"]),
    ];
    vec![group("Cover", rows)]
}

pub(super) fn front() -> Vec<Group> {
    let rows = [
        row("Moves", [check("rides", "Goes with the subject", "with the subject")]),
        row("Edge", [number("feather", "Softness of the edge").unit("px soft")]),
        row(
            "Only where",
            [
                part("brightness", "Only what has a brightness", &prototypes::brightness()),
                percent("brightness.from", "From this brightness"),
                percent("brightness.to", "Up to this brightness"),
            ],
        ),
        row("… fading over", [percent("brightness.softness", "Over how much brightness it comes in")]),
    ];
    vec![group("In front", rows)]
}
