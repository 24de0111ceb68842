//! `sandboxed`: how this program starts ffmpeg, and whether the system lets it be shut in.

use std::io::{Read, Write};
use std::path::Path;
use std::process::Command;

use anyhow::Context;
use jampin_media::Tools;
use jampin_sandbox::{Limits, Reach, Strength, become_program, enter};

use crate::args::SandboxedArgs;
use crate::error::bad_input;

/// Says that it was the sandbox that failed, and not what should run in it.
const NOT_ENTERED: i32 = 125;
pub(crate) fn run(args: SandboxedArgs) -> ! {
    let SandboxedArgs { memory, processor, file, reads, writes, command } = args;
    let reach = Reach { reads, writes, limits: Limits { memory, processor, file } };
    let error = match command.split_first() {
        Some((program, arguments)) => become_program(Command::new(program).args(arguments), &reach),
        None => match enter(Path::new(""), &reach) {
            Ok(Strength { namespaces, files }) => {
                println!("{namespaces} {files}");
                std::process::exit(0)
            }
            Err(error) => error,
        },
    };
    eprintln!("jampin: {error}");
    std::process::exit(NOT_ENTERED)
}

/// Standard input to standard output, as [`jampin_jobs::HARMLESS_SVG`] says.
pub(crate) fn harmless_svg() -> anyhow::Result<()> {
    let mut bytes = Vec::new();
    std::io::stdin().read_to_end(&mut bytes)?;
    let (svg, [width, height]) =
        jampin_render::harmless_svg(&bytes).map_err(|problem| bad_input(format!("{problem}.")))?;
    std::io::stdout().write_all(format!("{width} {height}\n{svg}").as_bytes())?;
    Ok(())
}

/// ffmpeg and ffprobe, shut in by this program itself.
pub(crate) fn tools(no_sandbox: bool) -> anyhow::Result<Tools> {
    let mut tools = Tools::default();
    if no_sandbox {
        tracing::warn!("ffmpeg is not shut in");
    } else {
        let own = std::env::current_exe().context("this program cannot find itself")?;
        report(&own)?;
        tools.sandbox = Some(own);
    }
    Ok(tools)
}

/// Tells the log what the sandbox keeps away on this system. An error when it cannot be entered at all.
fn report(sandbox: &Path) -> anyhow::Result<()> {
    let limits = ["--memory=1000000000", "--processor=10", "--file=0"];
    let ended = Command::new(sandbox).arg("sandboxed").args(limits).env_clear().output()?;
    let said = String::from_utf8_lossy(&ended.stdout);
    match said.trim() {
        "true true" => tracing::debug!("ffmpeg has files, network and user of its own"),
        "false true" => tracing::info!("ffmpeg reaches only its film; this system gives it no user of its own"),
        "true false" => tracing::warn!("ffmpeg has no network, but this system (no Landlock) lets it read other files"),
        "false false" => tracing::warn!("ffmpeg cannot open sockets, but this system lets it read other files"),
        _ => anyhow::bail!(
            "ffmpeg cannot be shut in on this system: {} Start with --no-sandbox if nobody brings films that you do not trust.",
            String::from_utf8_lossy(&ended.stderr).trim()
        ),
    }
    Ok(())
}
