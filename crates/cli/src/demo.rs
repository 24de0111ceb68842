//! `jampin demo`: the demo films, and a project made of them.

use crate::args::DemoArgs;

pub(crate) fn run(_args: DemoArgs) -> anyhow::Result<()> {
    Ok(())
}
