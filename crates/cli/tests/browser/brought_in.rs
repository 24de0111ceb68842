//! Scenes of film clips, and of what lies on a face that was seen on a frame.

use jampin_testkit::{Server, make_film};
use serde_json::{Value, json};

use super::scenes::{cover, id, label};

/// A red and a pale box on a green background, which has a shadow: half as large as the shot, ten frames.
fn green_film(server: &Server, shot: &str) -> Value {
    let source = "-f lavfi -i color=c=0x00b140:s=320x180:r=25:d=0.4,drawbox=y=150:w=320:h=30:color=0x008f30:t=fill,\
         drawbox=x=60:y=30:w=100:h=110:color=0xc03020:t=fill,drawbox=x=190:y=50:w=80:h=90:color=0xd8c8b0:t=fill";
    let film = make_film(server.media(), "green.mp4", &format!("{source} -c:v libx264 -crf 4 -pix_fmt yuv444p"));
    let project = server.get(&format!("/api/shots/{shot}")).json()["shot"]["project_id"].as_str().unwrap().to_owned();
    let shot = server.shot_of(&project, &film);
    server.get(&format!("/api/shots/{shot}")).json()["clip"]["id"].clone()
}

fn clip(which: &Value, change: &Value) -> Value {
    let mut attachment = json!({
        "id": id(20), "kind": "clip", "picture": which, "pixels": [320, 180], "frames": 10, "begins": 2,
        "place": { "x": 0.0, "y": 0.0 }, "size": [0.8, 0.9], "lies": { "drawn": face() },
    });
    attachment.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
    attachment
}

/// As the subject shows it on the first frame.
fn face() -> Value {
    let corners = [(110.0, 60.0), (520.0, 90.0), (560.0, 300.0), (80.0, 280.0)];
    json!({ "corners": corners.map(|(x, y)| json!({ "x": x, "y": y })), "since": 0 })
}

pub(super) fn scenes(server: &Server, shot: &str) -> Vec<(&'static str, Vec<Value>)> {
    let film = green_film(server, shot);
    let key = json!({ "colour": "#00b140", "near": 0.16, "soft": 0.12, "spill": 0.8 });
    let facing = json!({ "facing": { "since": 0, "turns": true, "grows": true } });
    let ring = [(-1.0, -0.6), (0.2, -1.0), (1.0, 0.1), (0.3, 1.0), (-0.8, 0.7)].map(|(x, y)| json!({ "x": x, "y": y }));
    vec![
        ("film clip in perspective, without its background", vec![clip(&film, &json!({ "key": key }))]),
        (
            "film clip facing the camera, as it is",
            vec![clip(&film, &json!({ "lies": facing, "place": { "x": 170.0, "y": 90.0 }, "size": [200.0, 112.0] }))],
        ),
        (
            "label on a face",
            vec![label(&json!({ "lies": face(), "placement": "auto", "size": 60.0, "turn": -8.0, "box": null }))],
        ),
        (
            "all but what was drawn, drawn out",
            vec![cover(&json!({
                "outline": { "drawn": ring }, "inside_out": true, "feather": 3.0,
                "effect": { "streak": { "length": 40.0, "angle": 25.0 } },
            }))],
        ),
        ("without colour", vec![cover(&json!({ "effect": { "saturation": 0.1 }, "feather": 2.0 }))]),
    ]
}
