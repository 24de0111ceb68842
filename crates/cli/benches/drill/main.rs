//! Faults made on purpose, many times, with a checker afterwards: what docs/reliability.md reports.
//!
//! `cargo bench -p jampin-cli --profile dev --bench drill -- kill 100` (also `stop`, `disk`, `broken 1000`, `load 120`,
//! `pages`, `team 300`; as root `hosts`; `store FOLDER` is an S3 server to try things with, `provider` an identity
//! provider).

mod broken;
mod checker;
mod disk;
mod hosts;
mod kill;
mod load;
mod pages;
mod party;
mod stop;
mod team;
mod wire;

const PROGRAM: &str = env!("CARGO_BIN_EXE_jampin");

fn main() {
    let words: Vec<String> = std::env::args().skip(1).filter(|word| !word.starts_with("--")).collect();
    let count = |usual: u32| words.get(1).and_then(|word| word.parse().ok()).unwrap_or(usual);
    match words.first().map(String::as_str) {
        Some("kill") => kill::run(count(100)),
        Some("stop") => stop::run(),
        Some("disk") => disk::run(),
        Some("broken") => broken::run(count(1000)),
        Some("load") => load::run(count(120)),
        Some("hosts") => hosts::run(words.get(1).map_or("all", String::as_str)),
        Some("store") => hosts::store(words.get(1).map_or("objects", String::as_str)),
        Some("provider") => provider(),
        Some("pages") => pages::run(),
        Some("team") => team::run(count(300)),
        _ => println!(
            "drill: one of kill ROUNDS, stop, disk, broken COUNT, load SECONDS, pages, team SECONDS, hosts [speed|faults], store FOLDER, provider"
        ),
    }
}

/// An identity provider, until it is ended, to which whoever comes is Ada; how it is reached is printed.
fn provider() {
    let provider = jampin_testkit::IdentityProvider::start();
    provider.sees(Some(("7f3", "ada@works.example")));
    for (name, value) in provider.environment() {
        println!("export {name}='{value}'");
    }
    loop {
        std::thread::park();
    }
}
