//! Prints what an APK file says of itself, and how little of it was read: `label FILE [LANGUAGE …]`.
#![allow(clippy::print_stdout, reason = "that is its job")]

use std::fs::File;
use std::io::{Error, Read as _, Seek as _, SeekFrom};

use wibbet_apk::{ApkReader, Question, Step, Stride};

fn main() -> Result<(), Error> {
    let mut arguments = std::env::args().skip(1);
    let path = arguments.next().ok_or_else(|| Error::other("usage: label FILE [LANGUAGE …]"))?;
    let wanted = arguments.map(|a| a.parse().map_err(Error::other)).collect::<Result<Vec<_>, _>>()?;
    let mut file = File::open(path)?;
    let size = file.metadata()?.len();
    let mut reader = ApkReader::new(size, Question::Label, wanted, Stride::SHORT);
    let (mut rounds, mut read) = (0, 0);
    let facts = loop {
        match reader.step() {
            Step::Done(answer) => break answer.map_err(Error::other)?,
            Step::Wants(wants) => {
                rounds += 1;
                for want in wants {
                    let mut bytes = vec![0; want.len];
                    file.seek(SeekFrom::Start(want.start))?;
                    file.read_exact(&mut bytes)?;
                    read += want.len;
                    reader.feed(want.start, &bytes);
                }
            }
        }
    };
    let manifest = &facts.manifest;
    println!("package   {} ({})", manifest.package, manifest.version_code);
    match (&facts.label, &facts.trouble) {
        (Some(label), _) => println!("label     {} [{}]", label.text, label.locale),
        (None, Some(trouble)) => println!("no label: {trouble}"),
        (None, None) => println!("no label; of the framework: {:x?}", facts.framework),
    }
    for launcher in &facts.launchers {
        println!("launcher  {} {}", launcher.name, launcher.label.as_ref().map_or("", |l| &l.text));
    }
    println!("{} components, {} permissions", manifest.components.len(), manifest.permissions.len());
    println!("read      {read} of {size} bytes in {rounds} rounds");
    Ok(())
}
