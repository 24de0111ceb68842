//! The forms of pictures and film clips.

use jampin_core::attachment::{ClipEnd, ColourKey};

use super::field::{
    Field, Group, Row, action, as_it_moves, choice, choice_of, colour, group, number, part, percent, row, whole,
};

/// Where it is and how large, in the unit that this makes of a number.
fn picture(unit: fn(Field) -> Field) -> [Row; 3] {
    let bare = |field: Field| unit(field).unit("");
    let width = bare(number("size.0", "Width")).with("keepsShape", true).id("picture-width").fixed();
    [
        row("Size", [width, unit(number("size.1", "Height")).fixed()]),
        row("Place", [bare(number("place.x", "Place across")).fixed(), unit(number("place.y", "Place down")).fixed()]),
        row("Turn", [number("turn", "Its own turn").unit("°").fixed()]),
    ]
}

pub(super) fn picture_facing() -> Group {
    let more = [
        row("On the subject", [choice_of("place", "What of it sits on the subject", "anchors")]),
        as_it_moves(["lies.facing.turns", "lies.facing.grows", "lies.facing.tilts"]),
    ];
    group("Facing the camera", picture(|field| field.unit("px")).into_iter().chain(more)).when("lies.facing")
}

/// Of four pins and points, or as it was drawn on a frame.
pub(super) fn pictures_on_faces() -> Vec<Group> {
    let percent = |field: Field| field.unit("%").with("factor", 100);
    let on = |when| group("On the face of four corners", picture(percent)).when(when);
    vec![on("lies.face"), on("lies.drawn")]
}

pub(super) fn film_clip() -> Vec<Group> {
    let ends = [("nothing", ClipEnd::Once), ("it again", ClipEnd::Again), ("its last picture", ClipEnd::Held)];
    let runs = [
        row("Begins on", [whole("begins", "Frame on which it begins").fixed()]),
        row("Speed", [number("speed", "Its frames for each of the film's").step(0.1).id("clip-speed").fixed()]),
        row("When over", [choice("at_end", "What is shown when it is over", ends)]),
        row(
            "Background",
            [
                part("key", "Take a background of one colour out", &ColourKey::default()).id("clip-key"),
                colour("key.colour", "Colour of the background"),
                action("keyFromEdge", "From its edge", "Takes the colour that most of the clip's edge has"),
            ],
        ),
        row(
            "Near, soft",
            [
                percent("key.near", "How near the colour is taken for background").fixed(),
                percent("key.soft", "Softness of the edge").fixed(),
            ],
        ),
        row("Spill out", [percent("key.spill", "Colour of the background taken out of what is left").fixed()]),
    ];
    vec![group("Film clip", runs)]
}
