//! Areas, as programs see them.

use serde_json::{Value, json};

use super::{PROGRAM, change, idle};
use jampin_testkit::{Server, make_film};

/// A still test card past which the camera goes to the right by two pixels a frame.
const PAN: &str = "-f lavfi -i testsrc2=size=400x300:rate=25:duration=0.04,loop=29:1,crop=320:240:2*n:10 \
     -pix_fmt yuv420p -crf 10";

struct Drawn {
    server: Server,
    path: String,
    made: Value,
}

fn outline(left: f64, top: f64, width: f64, height: f64) -> Value {
    let corners = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)];
    let points: Vec<Value> =
        corners.iter().map(|(x, y)| json!({ "x": left + x * width, "y": top + y * height })).collect();
    json!({ "points": points })
}

impl Drawn {
    fn new() -> Self {
        let server = Server::start(PROGRAM, &[]);
        let dir = tempfile::tempdir().unwrap();
        let shot = server.shot_of(&server.project("Open day"), &make_film(dir.path(), "pan.mp4", PAN));
        let path = format!("/api/shots/{shot}");
        let body = json!({ "revision": 0, "frame": 5, "outline": outline(120.0, 80.0, 80.0, 60.0), "name": "Card" });
        let made = server.send("POST", &format!("{path}/areas"), &body);
        assert_eq!(made.status, 201, "{}", made.text());
        server.wait(&path, idle);
        Self { server, path, made: made.json()["made"].clone() }
    }

    fn state(&self) -> Value {
        self.server.get(&self.path).json()
    }

    fn send(&self, to: &str, body: Value) -> (u16, Value) {
        change(&self.server, &self.path, to, body)
    }

    fn change(&self, change: Value) -> (u16, Value) {
        self.send(&format!("areas/{}", self.made["area"].as_str().unwrap()), change)
    }

    /// State and place of the pins on a frame, the middle first.
    fn pins_on(&self, frame: u32) -> Vec<(String, f64, f64)> {
        let state = self.state();
        let carriers = state["subjects"][0]["areas"][0]["carriers"].as_array().unwrap().clone();
        let tracks = state["tracks"].as_array().unwrap().clone();
        let on = |pin: &Value| {
            let track = tracks.iter().find(|track| track["pin"] == *pin).unwrap();
            let at = track["frame"].as_array().unwrap().iter().position(|other| *other == frame).unwrap();
            let number = |of: &str| track[of][at].as_f64().unwrap();
            (track["state"][at].as_str().unwrap().to_owned(), number("x"), number("y"))
        };
        carriers.iter().map(on).collect()
    }
}

#[test]
fn from_an_outline_to_the_samples_of_its_pins() {
    let drawn = Drawn::new();
    let state = drawn.state();
    assert_eq!(state["subjects"][0]["name"], "Card");
    assert_eq!(state["subjects"][0]["pins"].as_array().unwrap().len(), 5);
    assert!(state["jobs"][0]["result"]["solved"]["found"].as_u64().unwrap() >= 29, "{}", state["jobs"][0]);
    // Twenty frames after it was drawn.
    for (pin, place) in drawn.pins_on(25).iter().zip([(120.0, 110.0), (80.0, 80.0), (160.0, 80.0), (160.0, 140.0)]) {
        assert_eq!(pin.0, "found");
        assert!((pin.1 - place.0).abs() < 0.1 && (pin.2 - place.1).abs() < 0.1, "{pin:?} {place:?}");
    }
    let picture = |which: &str, frame: u32| {
        let pin = drawn.made["pin"].as_str().unwrap();
        drawn.server.get(&format!("{}/pins/{pin}/{which}.png?frame={frame}", drawn.path))
    };
    // The whole face, in its proportions.
    let size = |png: &[u8]| [16, 20].map(|at| u32::from_be_bytes(png[at..at + 4].try_into().unwrap()));
    let now = picture("now", 20);
    assert_eq!((now.status, size(&now.body)), (200, [184, 138]));
    assert_eq!(picture("difference", 20).status, 200);
    // Undone in one, done again in one.
    assert_eq!(drawn.send("undo", json!({})).0, 200);
    assert!(drawn.state()["subjects"].as_array().unwrap().is_empty());
    assert_eq!(drawn.send("redo", json!({})).0, 200);
    assert_eq!(drawn.pins_on(25)[0].0, "found");
}

#[test]
fn it_is_put_by_hand_moved_and_kept_out_of() {
    let drawn = Drawn::new();
    let corner = drawn.state()["subjects"][0]["areas"][0]["carriers"][3].clone();
    let (status, answer) =
        drawn.send("guides", json!({ "pin": corner, "frame": 12, "at": { "x": 187.0, "y": 140.5 } }));
    assert_eq!(status, 202, "{answer}");
    let set = drawn.pins_on(12);
    assert!(set.iter().all(|(state, ..)| state == "guide"), "{set:?}");
    assert_eq!((set[3].1, set[3].2), (187.0, 140.5));
    // On this side of the frame on which it was drawn, and on the other nothing is gone through again.
    let solved = drawn.state()["jobs"][0]["result"].clone();
    assert_eq!((solved["first"].clone(), solved["last"].clone()), (json!(5), json!(29)), "{solved}");
    let ranged = drawn.send("ranges", json!({ "pin": drawn.made["pin"], "first": 16, "last": 18, "do": "hide" }));
    assert_eq!(ranged.0, 202, "{}", ranged.1);
    assert!(drawn.pins_on(17).iter().all(|(state, ..)| state == "hidden"), "{:?}", drawn.pins_on(17));
    let moved = json!({ "do": "outline", "frame": 20, "outline": outline(100.0, 80.0, 80.0, 60.0) });
    assert_eq!(drawn.change(moved).0, 202);
    let out = json!({ "do": "keep_out", "id": "00000000-0000-0000-0000-000000000007",
        "place": { "frame": 5, "outline": outline(130.0, 90.0, 20.0, 20.0) } });
    assert_eq!(drawn.change(out).0, 202);
    let area = drawn.state()["subjects"][0]["areas"][0].clone();
    assert_eq!((area["moved"][0]["frame"].clone(), area["keep_outs"].as_array().unwrap().len()), (json!(20), 1));
    assert_eq!(drawn.pins_on(25)[0].0, "found");
    let follow = json!({ "pin": corner, "from": 5, "directions": ["forward"], "single": false });
    assert_eq!(drawn.send("follow", follow).0, 202);
    assert_eq!(drawn.pins_on(12)[0].0, "guide", "what was set by hand stays");
    assert_eq!(drawn.change(json!({ "do": "remove" })).0, 200);
    assert!(drawn.state()["subjects"][0]["pins"].as_array().unwrap().is_empty());
}

#[test]
fn a_label_lies_on_its_face_and_everything_but_it_is_covered() {
    let drawn = Drawn::new();
    let subject = drawn.state()["subjects"][0]["id"].as_str().unwrap().to_owned();
    let attachments = || drawn.state()["subjects"][0]["attachments"].as_array().unwrap().clone();
    let label = attachments()[0]["id"].as_str().unwrap().to_owned();
    let lay =
        |corners: Value| drawn.send(&format!("attachments/{label}/lay"), json!({ "frame": 5, "corners": corners }));
    let (status, answer) = lay(Value::Null);
    assert_eq!(status, 200, "{answer}");
    assert_eq!(attachments()[0]["lies"], json!({ "corners": outline(120.0, 80.0, 80.0, 60.0)["points"], "since": 5 }));
    // In the middle of the face, and not beside the subject.
    let scene = drawn.server.get(&format!("{}/scene?at=25", drawn.path)).json();
    assert_eq!(scene["offsets"][0]["offset"], json!({ "x": 0.0, "y": 0.0 }), "{scene}");
    let folded = json!([{ "x": 10, "y": 10 }, { "x": 90, "y": 90 }, { "x": 90, "y": 10 }, { "x": 10, "y": 90 }]);
    let (status, answer) = lay(folded);
    assert_eq!(status, 422, "{answer}");
    assert!(answer.to_string().contains("without a fold"), "{answer}");

    let corners = outline(120.0, 80.0, 80.0, 60.0)["points"].clone();
    let body = json!({ "frame": 5, "outline": corners, "inside_out": true });
    let (status, answer) = drawn.send(&format!("subjects/{subject}/covers"), body);
    assert_eq!(status, 201, "{answer}");
    let cover = attachments()[1].clone();
    assert_eq!((&cover["size"], &cover["inside_out"]), (&json!([80.0, 60.0]), &json!(true)));
    assert!(cover["show"]["order"].as_i64().unwrap() < 0, "behind what hangs there");
    for (frame, outline, word) in
        [(500, corners, "not there on frame 500"), (5, json!([{ "x": 1, "y": 1 }]), "at least three")]
    {
        let body = json!({ "frame": frame, "outline": outline, "inside_out": true });
        let (status, answer) = drawn.send(&format!("subjects/{subject}/covers"), body);
        assert!(status == 422 && answer.to_string().contains(word), "{status} {answer}");
    }
}

#[test]
fn the_net_of_a_surface_is_told_window_by_window_and_a_flat_one_has_none() {
    let drawn = Drawn::new();
    let area = drawn.made["area"].as_str().unwrap();
    let net = |query: &str| drawn.server.get(&format!("{}/areas/{area}/net?{query}", drawn.path));
    let flat = net("first=0&count=10");
    assert!(flat.status == 404 && flat.text().contains("it is flat"), "{}", flat.text());
    let (status, answer) = drawn.change(json!({ "do": "bend", "bends": "coarse" }));
    assert_eq!(status, 202, "{answer}");
    drawn.server.wait(&drawn.path, idle);

    let told = net("first=5&count=2").json();
    let knots: Vec<f64> = told["frames"][0].as_array().unwrap().iter().map(|value| value.as_f64().unwrap()).collect();
    let inside = knots.chunks(2).filter(|at| (110.0..=210.0).contains(&at[0]) && (70.0..=150.0).contains(&at[1]));
    assert!(
        knots.len() > 8 && inside.count() * 2 == knots.len(),
        "over what was drawn on this frame, by less than a triangle more: {knots:?}"
    );
    let corners: Vec<u64> = told["triangles"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|three| three.as_array().unwrap())
        .map(|corner| corner.as_u64().unwrap())
        .collect();
    assert!(corners.iter().all(|corner| 2 * corner < knots.len() as u64), "{corners:?}");
    assert_eq!(told["frames"].as_array().unwrap().len(), 2);

    // More than is told at once, and beyond the last frame that there can be.
    let all = net("first=0&count=4294967295").json();
    assert_eq!((all["frames"].as_array().unwrap().len(), &all["frames"][239]), (240, &Value::Null));
    assert_eq!(net("first=4294967295&count=9").json()["frames"], json!([]));
    for query in ["first=-1&count=4", "first=0", "first=0&count=many"] {
        let refused = net(query);
        assert!(
            refused.status == 422 && refused.text().contains("The address cannot be read"),
            "{query}: {}",
            refused.text()
        );
    }
    let gone = drawn.server.get(&format!("{}/areas/{}/net?first=0&count=1", drawn.path, uuid::Uuid::nil()));
    assert!(gone.status == 404 && gone.text().contains("not there any more"), "{}", gone.text());
}

#[test]
fn what_makes_no_area_is_refused_with_a_sentence() {
    let drawn = Drawn::new();
    let refused = |to: &str, body: Value, word: &str| {
        let (status, answer) = drawn.send(to, body);
        assert!((400..500).contains(&status), "{status}: {answer}");
        assert!(answer.to_string().contains(word), "{answer}");
    };
    let on = |frame: u32, outline: Value| json!({ "frame": frame, "outline": outline });
    refused("areas", on(5, json!({ "points": [{ "x": 1, "y": 1 }, { "x": 9, "y": 9 }] })), "3 to 200 points");
    refused("areas", on(5, outline(20.0, 20.0, 3.0, 3.0)), "larger");
    refused("areas", on(5, outline(-90.0, 20.0, 60.0, 60.0)), "in the picture");
    refused("areas", on(5, outline(-90.0, -90.0, 9000.0, 9000.0)), "smaller part");
    refused("areas", on(500, outline(20.0, 20.0, 60.0, 60.0)), "Frame 500");
    let corner = drawn.state()["subjects"][0]["areas"][0]["carriers"][1].clone();
    let bent = json!({ "pin": corner, "frame": 9, "at": { "x": 150.0, "y": 300.0 } });
    refused("guides", bent, "No flat face");
    let edit = json!({ "title": "x", "edit": { "edit": "remove_pin", "pin": corner } });
    refused("edits", edit, "remove the area");
    // Nothing to hold on to.
    let flat = json!({ "frame": 5, "outline": outline(-60.0, -60.0, 61.0, 61.0) });
    let (status, answer) = drawn.send("areas", flat);
    assert_eq!(status, 201, "{answer}");
    let problem = drawn.state()["jobs"][0]["problem"].clone();
    assert!(problem.as_str().unwrap_or_default().contains("Draw it round"), "{problem}");
}
