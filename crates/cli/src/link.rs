//! `link`: a one-time link for somebody who cannot get one on the pages.

use anyhow::Context;
use jampin_store::{FIRST_OWNER, Store};
use jampin_web::make_link;

use crate::args::LinkArgs;
use crate::error::bad_input;
use crate::serve::runtime;

pub(crate) fn make(args: LinkArgs) -> anyhow::Result<()> {
    let store = Store::new(&args.database.database)?;
    runtime()?.block_on(async {
        store.migrate().await.context("the database is not ready")?;
        let person = match &args.name {
            None => FIRST_OWNER,
            Some(name) => {
                let known = store.secret_of(name).await?;
                known.ok_or_else(|| bad_input(format!("nobody here is called “{name}”")))?.0
            }
        };
        let path = make_link(&store, person, None).await?;
        println!("{}", args.url.join(&path)?);
        Ok(())
    })
}
