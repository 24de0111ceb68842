//! Every route, asked by everybody: what the table says is what happens.

use jampin_store::Role;
use jampin_testkit::{Answer, Visitor};
use jampin_web::{Kind, Needs, ROUTES};
use serde_json::json;
use uuid::Uuid;

use super::{guest_of, let_in, newcomer, project_of, with_owner};

/// Identities of a project and of what is in it.
struct Things {
    project: String,
    clip: String,
    shot: String,
    picture: String,
    job: String,
}

impl Things {
    fn of(&self, kind: Kind) -> &str {
        match kind {
            Kind::Project => &self.project,
            Kind::Clip => &self.clip,
            Kind::Shot => &self.shot,
            Kind::Picture => &self.picture,
            Kind::Job => &self.job,
        }
    }
}

fn things_of(mara: &Visitor) -> Things {
    let [project, clip, shot] = project_of(mara);
    let picture = mara.ask(
        "PUT",
        &format!("/api/projects/{project}/pictures?name=a.svg"),
        "",
        b"<svg xmlns='http://www.w3.org/2000/svg' width='4' height='4'><rect width='4' height='4'/></svg>",
    );
    let picture = picture.json()["id"].as_str().unwrap().to_owned();
    let job = mara.get("/api/queue").json()[0]["id"].as_str().unwrap().to_owned();
    Things { project, clip, shot, picture, job }
}

/// A path for a pattern: its first name is this identity, the others are of nothing.
fn path(pattern: &str, first: &str) -> String {
    let (mut path, mut rest, mut count) = (String::new(), pattern, 0);
    while let Some(begin) = rest.find('{') {
        // A pattern may have braces in its expression: the name ends before the next part of the path.
        let end =
            rest[begin..].find("}/").or_else(|| rest[begin..].find("}.")).unwrap_or(rest.len() - 1 - begin) + begin;
        path.push_str(&rest[..begin]);
        path.push_str(&value(&rest[begin + 1..end], if count == 0 { Some(first) } else { None }));
        rest = &rest[end + 1..];
        count += 1;
    }
    path + rest
}

fn value(name: &str, first: Option<&str>) -> String {
    let name = name.split(':').next().unwrap_or_default();
    match (name, first) {
        ("version", _) => "none".into(),
        ("file", _) => "samples.csv".into(),
        ("frame", _) => "0".into(),
        ("which", _) => "now".into(),
        ("name", _) => "some".into(),
        (_, Some(first)) => first.into(),
        _ => Uuid::from_u128(77).to_string(),
    }
}

fn ask(visitor: &Visitor, method: &str, path: &str) -> Answer {
    if method == "GET" { visitor.get(path) } else { visitor.send(method, path, &json!({})) }
}

/// What is not there is said to be not there, in the same words to everybody: but for the identity.
fn same_but_for(a: &Answer, one: &str, b: &Answer, other: &str) -> bool {
    a.status == b.status && a.text().replace(one, "") == b.text().replace(other, "")
}

#[test]
fn every_route_is_refused_to_whom_the_table_says_and_to_nobody_else() {
    let (server, mara) = with_owner();
    let (things, others) = (things_of(&mara), things_of(&mara));
    let nobody = Visitor::new(&server);
    let (stranger, _) = newcomer(&server, &mara, "Sten");
    let (viewer, _) = newcomer(&server, &mara, "Vito");
    let (editor, _) = newcomer(&server, &mara, "Edda");
    let_in(&mara, &things.project, "Vito", "viewer");
    let_in(&mara, &things.project, "Edda", "editor");
    let guest = guest_of(&server, &mara, &things.shot);
    let not_there = Uuid::from_u128(99).to_string();

    for (method, pattern, needs) in ROUTES {
        let refused = |visitor: &Visitor, first: &str| ask(visitor, method, &path(pattern, first));
        let what = format!("{method} {pattern}");
        match needs {
            Needs::Nothing => assert_ne!(refused(&nobody, &not_there).status, 403, "{what}"),
            Needs::Person => {
                assert_eq!(refused(&nobody, &not_there).status, 401, "{what}");
                assert_eq!(refused(&guest, &not_there).status, 401, "{what}");
            }
            Needs::Somebody => assert_eq!(refused(&nobody, &not_there).status, 401, "{what}"),
            Needs::Look(kind) => {
                let id = things.of(*kind);
                assert_eq!(refused(&nobody, id).status, 401, "{what}");
                // Of another shot: a guest's link is for one.
                assert_eq!(refused(&guest, others.of(*kind)).status, 401, "{what}");
                let (theirs, nothing) = (refused(&stranger, id), refused(&stranger, &not_there));
                assert_eq!(theirs.status, 404, "{what}: {}", theirs.text());
                assert!(same_but_for(&theirs, id, &nothing, &not_there), "{what}: {}", theirs.text());
            }
            Needs::Administrator => {
                assert_eq!(refused(&nobody, &not_there).status, 401, "{what}");
                assert_eq!(refused(&editor, &not_there).status, 404, "{what}");
            }
            Needs::Member(kind, least) => {
                let id = things.of(*kind);
                assert_eq!(refused(&nobody, id).status, 401, "{what}");
                assert_eq!(refused(&guest, id).status, 401, "{what}");
                let (theirs, nothing) = (refused(&stranger, id), refused(&stranger, &not_there));
                assert_eq!(theirs.status, 404, "{what}: {}", theirs.text());
                assert!(same_but_for(&theirs, id, &nothing, &not_there), "{what}: {}", theirs.text());
                if *least > Role::Viewer {
                    assert_eq!(refused(&viewer, id).status, 403, "{what}");
                }
                if *least > Role::Editor {
                    assert_eq!(refused(&editor, id).status, 403, "{what}");
                }
            }
        }
    }
    assert_eq!(mara.get(&format!("/api/shots/{}", things.shot)).json()["shot"]["revision"], 0, "something was changed");

    // And now whoever may: nothing of it is refused for who they are. What takes away comes last.
    let members = ROUTES.iter().filter_map(|(method, pattern, needs)| match needs {
        Needs::Member(kind, least) => Some((method, pattern, *kind, *least)),
        Needs::Look(kind) => Some((method, pattern, *kind, Role::Viewer)),
        _ => None,
    });
    for (method, pattern, needs) in ROUTES {
        let Needs::Look(kind) = needs else { continue };
        // The picture does not hang in the shot: it is not seen there.
        let expected = if *kind == Kind::Picture { [401; 3] } else { [200, 303, 422] };
        let answer = ask(&guest, method, &path(pattern, things.of(*kind)));
        assert!(expected.contains(&answer.status), "{method} {pattern}: {} {}", answer.status, answer.text());
    }
    let (mut last, first): (Vec<_>, Vec<_>) = members.partition(|(method, ..)| **method == "DELETE");
    let order = [Kind::Shot, Kind::Picture, Kind::Job, Kind::Clip, Kind::Project];
    last.sort_by_key(|(_, pattern, kind, _)| (order.iter().position(|of| of == kind), pattern.contains("for-good")));
    for (method, pattern, kind, least) in first.into_iter().chain(last) {
        let visitor = match least {
            Role::Viewer => &viewer,
            Role::Editor => &editor,
            Role::Owner => &mara,
        };
        let answer = ask(visitor, method, &path(pattern, things.of(kind)));
        assert!(![401, 403, 500].contains(&answer.status), "{method} {pattern}: {} {}", answer.status, answer.text());
    }
}

#[test]
fn paths_are_made_of_patterns() {
    let id = Uuid::from_u128(7).to_string();
    let other = Uuid::from_u128(77);
    assert_eq!(path("/api/shots/{id}/areas/{area}/net", &id), format!("/api/shots/{id}/areas/{other}/net"));
    assert_eq!(path("/clips/{id}/frames/{frame}.full.jpg", &id), format!("/clips/{id}/frames/0.full.jpg"));
    let file = r"/api/shots/{id}/{file:(?:samples|matrices)\.(?:csv|json)|keys\.csv|path\.json}";
    assert_eq!(path(file, &id), format!("/api/shots/{id}/samples.csv"));
    assert_eq!(path("/assets/{version}/{name:.+}", &id), "/assets/none/some");
}
