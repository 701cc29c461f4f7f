//! `list packages`.

use wibbet_types::PackageId;

/// Reads lines like `package:ID` or `package:PATH=ID versionCode:3  installer=null uid:10012`;
/// of the path nothing is needed here. Lines of another kind are passed over.
pub fn read_package_list(text: &str) -> Vec<PackageId> {
    text.lines()
        .filter_map(|line| {
            let rest = line.trim().strip_prefix("package:")?;
            // The path may hold blanks and "=": what stands behind the id is taken off by name.
            let mut id = rest;
            while let Some((before, word)) = id.rsplit_once(' ')
                && (word.is_empty() || ["versionCode:", "installer=", "uid:"].iter().any(|name| word.starts_with(name)))
            {
                id = before;
            }
            id.rsplit('=').next()?.parse().ok()
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn lists_with_all_their_trimmings() {
        let text = "package:com.a\n\
                    package:/system/app/B/B.apk=com.b\r\n\
                    package:/data/app/~~x==/com.c-y==/base.apk=com.c\n\
                    package:/system/app/D/D.apk=com.d versionCode:3  installer=com.e uid:10012\n\
                    package:com.f  installer=null\n\
                    package:com.g uid:10012\n\
                    Error: something\n";
        let ids: Vec<String> = read_package_list(text).iter().map(ToString::to_string).collect();
        assert_eq!(ids, ["com.a", "com.b", "com.c", "com.d", "com.f", "com.g"]);
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in any::<String>()) {
            read_package_list(&format!("package:{text}"));
        }
    }
}
