//! Ranges, bridges, recipes, keyframes and weaves, as programs see them.

use serde_json::{Value, json};

use super::{change, idle, put_pin, with_shot};
use jampin_testkit::{Server, make_film};

struct Bench {
    server: Server,
    path: String,
    pin: String,
    subject: String,
}

impl Bench {
    fn new() -> Self {
        let (server, shot) = with_shot(&[]);
        let made = put_pin(&server, &shot, 0)["made"].clone();
        let path = format!("/api/shots/{shot}");
        server.wait(&path, idle);
        let word = |name: &str| made[name].as_str().unwrap().to_owned();
        Self { server, path, pin: word("pin"), subject: word("subject") }
    }

    fn state(&self) -> Value {
        self.server.get(&self.path).json()
    }

    /// The samples of the pin, `[x, y, state]` a frame; frames without one are `null`.
    fn samples(&self) -> Vec<Value> {
        let state = self.state();
        let track = state["tracks"].as_array().unwrap().iter().find(|track| track["pin"] == self.pin.as_str()).unwrap();
        let frames = track["frame"].as_array().unwrap();
        let sample = |frame: u64| {
            let i = frames.iter().position(|other| *other == frame)?;
            Some(json!([track["x"][i], track["y"][i], track["state"][i]]))
        };
        (0..30).map(|frame| sample(frame).unwrap_or(Value::Null)).collect()
    }

    fn words(&self) -> String {
        let letter = |sample: &Value| sample[2].as_str().map_or('.', |word| word.chars().next().unwrap());
        self.samples().iter().map(letter).collect()
    }

    fn send(&self, to: &str, body: Value) -> (u16, Value) {
        change(&self.server, &self.path, to, body)
    }

    fn range(&self, first: u32, last: u32, action: Value) -> (u16, Value) {
        let mut body = json!({ "pin": self.pin, "first": first, "last": last });
        body.as_object_mut().unwrap().extend(action.as_object().unwrap().clone());
        self.send("ranges", body)
    }

    fn undo(&self) {
        assert_eq!(self.send("undo", json!({})).0, 200);
    }

    fn clean(&self, cleaning: &Value) -> (u16, Value) {
        let edit = json!({ "edit": "set_cleaning", "subject": self.subject, "cleaning": cleaning });
        self.send("edits", json!({ "title": "Clean", "edit": edit }))
    }

    fn cleaned(&self) -> Value {
        self.server.get(&format!("{}/subjects/{}/path", self.path, self.subject)).json()
    }
}

#[test]
fn a_range_is_deleted_bridged_hidden_and_solved_again_in_one_action_each() {
    let bench = Bench::new();
    let before = bench.samples();
    assert!(before.iter().filter(|sample| sample[2] == "found").count() > 20, "{}", bench.words());
    assert_eq!(bench.range(12, 15, json!({ "do": "delete" })).0, 200);
    assert_eq!(&bench.words()[12..16], "....");
    assert_eq!(bench.range(12, 15, json!({ "do": "delete" })).0, 422, "there is nothing left to delete");
    assert_eq!(bench.range(12, 15, json!({ "do": "bridge", "how": "smooth" })).0, 200);
    assert_eq!(&bench.words()[11..17], "fbbbbf");
    for (now, then) in bench.samples().iter().zip(&before).skip(12).take(4) {
        let off = (now[0].as_f64().unwrap() - then[0].as_f64().unwrap()).abs();
        assert!(off < 3.0, "{then} became {now}");
    }
    bench.undo();
    bench.undo();
    assert_eq!(bench.samples(), before, "two undos bring everything back");
    assert_eq!(bench.range(18, 22, json!({ "do": "hide" })).0, 202);
    assert_eq!(&bench.words()[17..24], "fhhhhhf");
    assert_eq!(bench.state()["subjects"][0]["pins"][0]["hidden"], json!([{ "first": 18, "last": 22 }]));
    assert_eq!(bench.range(18, 22, json!({ "do": "show" })).0, 202);
    assert_eq!(&bench.words()[17..24], "fffffff");
    assert_eq!(bench.range(8, 9, json!({ "do": "solve" })).0, 202);
    assert_eq!(
        bench.words(),
        before.iter().map(|s| s[2].as_str().unwrap().chars().next().unwrap()).collect::<String>()
    );
}

#[test]
fn ranges_that_make_no_sense_are_refused() {
    let bench = Bench::new();
    let (status, answer) = bench.range(20, 10, json!({ "do": "delete" }));
    assert_eq!((status, answer["error"].as_str()), (422, Some("unusable")));
    assert_eq!(bench.range(20, 99, json!({ "do": "hide" })).0, 422);
    assert_eq!(bench.range(1, 2, json!({ "do": "juggle" })).0, 422);
    let (status, answer) = bench.range(0, 3, json!({ "do": "bridge", "how": "smooth" }));
    assert_eq!(status, 422);
    assert!(answer["message"].as_str().unwrap().contains("carry on"), "{answer}");
    assert_eq!(bench.range(25, 29, json!({ "do": "delete" })).0, 200);
    assert_eq!(bench.range(25, 29, json!({ "do": "carry_on" })).0, 200);
    assert_eq!(&bench.words()[24..], "fbbbbb");
}

#[test]
fn a_recipe_is_previewed_kept_and_used() {
    let bench = Bench::new();
    let default = bench.server.get("/api/recipes/default").json();
    let raw = bench.cleaned();
    assert_eq!(raw["report"]["largest"], 0.0);
    let path = format!("{}/subjects/{}/path", bench.path, bench.subject);
    let preview = bench.server.send("POST", &path, &json!({ "cleaning": default }));
    assert!(preview.json()["keys"].as_array().unwrap().len() < 20, "{}", preview.text());
    assert_eq!(bench.cleaned(), raw, "a preview changes nothing");
    assert_eq!(bench.clean(&default).0, 200);
    assert_eq!(bench.cleaned(), preview.json());
    let mut bad = default.clone();
    bad["steps"][0]["window"] = json!(1);
    let (status, answer) = bench.clean(&bad);
    assert_eq!(status, 422);
    assert!(answer["message"].as_str().unwrap().starts_with("Step 1"), "{answer}");
    let key = json!({ "frame": 10, "at": { "x": 50.0, "y": 60.0 }, "arrive": "straight", "leave": "straight" });
    let mut by_hand = default.clone();
    by_hand["hand_keys"] = json!([{ "frame": 10, "key": key }]);
    assert_eq!(bench.clean(&by_hand).0, 200);
    assert_eq!(bench.cleaned()["x"][10], 50.0);
    // The label goes where the clean path goes.
    let scene = bench.server.scene(&bench.path);
    let line = |frame: usize| scene["frames"][frame][0]["shape"]["to"]["x"].as_f64().unwrap();
    assert!(line(10) < line(5) - 40.0, "{} {}", line(10), line(5));
    let csv = bench.server.get(&format!("{}/keys.csv", bench.path)).text();
    assert!(csv.lines().any(|line| line.starts_with("10,Subject A,0,50.0000,60.0000")), "{csv}");
    let json = bench.server.get(&format!("{}/path.json", bench.path)).json();
    assert_eq!(json["subjects"][0]["spans"][0]["places"][10], json!([50.0, 60.0]));
    (0..2).for_each(|_| bench.undo());
    assert_eq!(bench.cleaned(), raw, "the samples were never touched");
}

#[test]
fn recipes_belong_to_the_project_and_the_pace_to_the_clip() {
    let bench = Bench::new();
    let steps = bench.server.get("/api/recipes/default").json()["steps"].clone();
    let project = bench.state()["shot"]["project_id"].as_str().unwrap().to_owned();
    let recipe = format!("/api/projects/{project}/recipes/Calm%20hand");
    let put = |steps: &Value| bench.server.send("PUT", &recipe, &json!({ "steps": steps })).status;
    assert_eq!(put(&steps), 204);
    let mut wrong = steps.clone();
    wrong[0]["window"] = json!(1);
    assert_eq!(put(&wrong), 422);
    assert_eq!(put(&json!([steps[0]])), 204);
    let kept = bench.state()["recipes"].clone();
    assert_eq!(kept, json!([{ "name": "Calm hand", "steps": [steps[0]] }]));
    assert_eq!(bench.server.send("DELETE", &recipe, &json!({})).status, 204);
    assert_eq!(bench.server.send("DELETE", &recipe, &json!({})).status, 404);
    assert_eq!(bench.state()["recipes"], json!([]));
    let clip = bench.state()["clip"]["id"].as_str().unwrap().to_owned();
    let pace = bench.server.get(&format!("/api/clips/{clip}/pace")).json();
    assert_eq!(pace["runs"][0]["speeds"].as_array().unwrap().len(), 30, "{pace}");
}

#[test]
fn a_range_followed_by_hand_passes_through_the_places_and_leaves_the_picture() {
    let bench = Bench::new();
    let before = bench.samples();
    let places = json!([[10, { "x": 40.0, "y": 50.0 }], [16, { "x": -30.0, "y": 60.0 }]]);
    assert_eq!(bench.range(10, 18, json!({ "do": "by_hand", "places": places })).0, 200);
    let after = bench.samples();
    assert_eq!(after[10], json!([40.0, 50.0, "guide"]));
    assert_eq!(after[16], json!([-30.0, 60.0, "bridged"]), "nothing outside can guide");
    assert_eq!(bench.words()[11..16], *"bbbbb");
    assert_eq!(after[9], before[9]);
    assert_eq!(after[19], before[19]);
    bench.undo();
    assert_eq!(bench.samples(), before);
    assert_eq!(bench.range(10, 18, json!({ "do": "by_hand", "places": [] })).0, 422);
    assert_eq!(bench.range(10, 18, json!({ "do": "by_hand", "places": [[19, { "x": 1.0, "y": 1.0 }]] })).0, 422);
}

#[test]
fn another_feature_takes_over_without_a_jump() {
    let bench = Bench::new();
    let before = bench.cleaned();
    let body = json!({ "frame": 14, "x": 200.0, "y": 140.0, "follow": true, "hand_over": bench.subject });
    let (status, made) = bench.send("pins", body);
    assert_eq!(status, 201, "{made}");
    assert_eq!(made["made"]["subject"], bench.subject.as_str());
    let state = bench.state();
    assert_eq!(state["subjects"].as_array().unwrap().len(), 1);
    assert_eq!(state["subjects"][0]["hand_overs"][0]["from"], 14);
    let after = bench.cleaned();
    let jump = |path: &Value, i: usize| (path["x"][i].as_f64().unwrap() - path["x"][i - 1].as_f64().unwrap()).abs();
    // The features are 45 pixels apart and move each in its own way.
    assert!(jump(&after, 14) < jump(&before, 14) + 5.0, "{} then {}", jump(&before, 14), jump(&after, 14));
    bench.undo();
    assert_eq!(bench.cleaned(), before);
}

#[test]
fn a_weave_has_a_column_for_each_frame() {
    let bench = Bench::new();
    for which in ["rows", "columns"] {
        let answer = bench.server.get(&format!("{}/pins/{}/weave/{which}.png", bench.path, bench.pin));
        assert_eq!((answer.status, &answer.body[1..4]), (200, &b"PNG"[..]));
        // Width and height stand in the header of a PNG (ISO 15948, IHDR).
        let number = |at: usize| u32::from_be_bytes(answer.body[at..at + 4].try_into().unwrap());
        assert_eq!((number(16), number(20)), (30, 49));
    }
    assert_eq!(bench.server.get(&format!("{}/pins/{}/weave/knots.png", bench.path, bench.pin)).status, 404);
}

#[test]
fn other_peoples_csv_is_matched_up_and_brought_in() {
    let bench = Bench::new();
    let before = bench.samples();
    let text = "no;x pos;y\n11;20,5;30\n12;21,5;31\n40;1;1\n";
    let table = bench.server.send("POST", "/api/tables", &json!({ "text": text })).json();
    assert_eq!((&table["headers"], &table["count"]), (&json!(["no", "x pos", "y"]), &json!(3)));
    let mut mapping = table["guess"].clone();
    mapping["first_frame"] = json!(1);
    let (status, answer) = bench.send("import", json!({ "pin": bench.pin, "text": text, "mapping": mapping }));
    assert_eq!((status, &answer["samples"]), (200, &json!(2)), "{answer}");
    assert_eq!(bench.samples()[10], json!([20.5, 30.0, "found"]));
    assert_eq!(bench.samples()[9], before[9]);
    bench.undo();
    assert_eq!(bench.samples(), before);
    let bad = text.replace("21,5", "far");
    let (status, answer) = bench.send("import", json!({ "pin": bench.pin, "text": bad, "mapping": mapping }));
    assert_eq!(status, 422);
    assert!(answer["message"].as_str().unwrap().contains("ine 3"), "{answer}");
    assert_eq!(bench.samples(), before, "nothing is taken of a table with a bad line");
    assert_eq!(bench.server.send("POST", "/api/tables", &json!({ "text": "hello" })).status, 422);
}

/// Two films one after the other with one thing in both: a cut is found, and a pin ends there, until a person says that
/// there is none.
#[test]
fn a_pin_ends_at_a_cut_until_a_person_says_that_there_is_none() {
    let server = Server::start(super::PROGRAM, &[]);
    let dir = tempfile::tempdir().unwrap();
    let film = "-f lavfi -i testsrc2=size=320x240:rate=25:duration=0.8 -f lavfi -i mandelbrot=size=320x240:rate=25:start_scale=0.4 \
                -f lavfi -i cellauto=size=80x80:rate=25:rule=110:scroll=0:random_seed=4 -filter_complex \
                [1:v]trim=duration=0.8[b];[2:v]trim=end_frame=1,loop=40:1,setpts=N/25/TB[c];[0:v][b]concat=n=2[ab];[ab][c]overlay=120:80:shortest=1 \
                -pix_fmt yuv420p";
    let shot = server.shot_of(&server.project("Open day"), &make_film(dir.path(), "two.mp4", film));
    let path = format!("/api/shots/{shot}");
    let state = server.wait(&path, |state| state["clip"]["state"] == "ready");
    assert_eq!(state["clip"]["cuts"], json!([20]));
    let put = json!({ "revision": 0, "frame": 5, "x": 160.0, "y": 120.0, "follow": true });
    let pin = server.send("POST", &format!("{path}/pins"), &put).json()["made"]["pin"].clone();
    let last = |state: &Value| state["tracks"][0]["frame"].as_array().unwrap().last().cloned();
    assert_eq!(last(&server.wait(&path, idle)), Some(json!(19)));

    let send = |to: &str, mut body: Value| {
        body["revision"] = server.get(&path).json()["shot"]["revision"].clone();
        server.send("POST", &format!("{path}/{to}"), &body)
    };
    let edit = json!({ "edit": "set_no_cuts", "frames": [20] });
    assert_eq!(send("edits", json!({ "title": "No cut on frame 20", "edit": edit })).status, 200);
    let follow = json!({ "pin": pin, "from": 19, "directions": ["forward"], "single": false });
    assert_eq!(send("follow", follow).status, 202);
    let state = server.wait(&path, idle);
    assert_eq!((last(&state), &state["no_cuts"]), (Some(json!(39)), &json!([20])));
    assert_eq!(state["tracks"][0]["state"][30], "found", "what is in both films is found in both");
    // And it can be taken back.
    assert_eq!(send("undo", json!({})).status, 200);
    assert_eq!(send("undo", json!({})).status, 200);
    let state = server.get(&path).json();
    assert_eq!((last(&state), &state["no_cuts"]), (Some(json!(19)), &json!([])));
}
