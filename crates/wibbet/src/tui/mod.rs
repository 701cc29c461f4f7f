//! x
pub(crate) async fn run(_w: wibbet_bench::Workplace, _at: Vec<String>, _sim: bool) -> anyhow::Result<crate::cli::Exit> { Ok(crate::cli::Exit::Done) }
