//! `jampin`: the program. Each subcommand only reads its words and calls the crate that does the work.

mod args;
mod backup;
mod clean;
mod demo;
mod demo_work;
mod error;
mod link;
mod logging;
mod output;
mod reach;
mod render;
mod samples_file;
mod sandboxed;
mod serve;
mod track;
mod wait;

use std::process::ExitCode;

use clap::Parser;

use args::{Cli, Command};
use error::BadInput;

/// Bad input: the person who called can mend it.
const BAD_INPUT: u8 = 2;
/// Anything else that failed.
const FAILURE: u8 = 1;

fn main() -> ExitCode {
    let cli = Cli::parse();
    logging::start(&cli.log);
    let ended = match cli.command {
        Command::Serve(args) => serve::serve(*args),
        Command::Worker(args) => serve::worker(args),
        Command::Link(args) => link::make(args),
        Command::Migrate(args) => serve::migrate(args),
        Command::Backup(args) => backup::back_up(&args),
        Command::Restore(args) => backup::restore(&args),
        Command::Sandboxed(args) => sandboxed::run(args),
        Command::HarmlessSvg => sandboxed::harmless_svg(),
        Command::Demo(args) => demo::run(args),
        Command::Track(args) => track::run(&args),
        Command::Clean(args) => clean::run(&args),
        Command::Render(args) => render::run(&args),
    };
    match ended {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            // One line, so that scripts can show it.
            eprintln!("jampin: {}", format!("{error:#}").replace('\n', " "));
            ExitCode::from(if error.is::<BadInput>() { BAD_INPUT } else { FAILURE })
        }
    }
}
