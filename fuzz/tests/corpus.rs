//! Every input of the corpus, whole and cut at every place.
#![allow(clippy::unwrap_used, reason = "tests")]

#[test]
fn every_input_of_the_corpus_is_taken() {
    let corpus = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("corpus");
    for (name, target) in wibbet_fuzz::TARGETS {
        let mut count = 0;
        for file in std::fs::read_dir(corpus.join(name)).unwrap() {
            let data = std::fs::read(file.unwrap().path()).unwrap();
            target(&data);
            for cut in 0..data.len().min(200) {
                target(&data[..cut]);
            }
            count += 1;
        }
        assert!(count > 0, "{name} has no corpus");
    }
}
