//! The carry rules that a technician brings: files that are named, and those in a folder of their own.

use crate::failure::Failure;
use crate::paths;
use porter_kinds::catalogue::CarryRule;
use std::path::{Path, PathBuf};

/// A rule, and the file that it is from.
pub(crate) struct OwnRule {
    pub(crate) rule: CarryRule,
    pub(crate) file: PathBuf,
    pub(crate) text: String,
}

/// Where rules are taken from without being named.
pub(crate) fn folder() -> Option<PathBuf> {
    Some(config_folder()?.join("rules"))
}

/// Where a technician's own settings are: `%APPDATA%\Loyal Porter` on Windows, elsewhere
/// `$XDG_CONFIG_HOME/loyal-porter`, which is `~/.config/loyal-porter` where nobody changed it.
pub(crate) fn config_folder() -> Option<PathBuf> {
    let absolute = |name: &str| std::env::var_os(name).map(PathBuf::from).filter(|path| path.is_absolute());
    if cfg!(windows) {
        return Some(absolute("APPDATA")?.join("Loyal Porter"));
    }
    let config = absolute("XDG_CONFIG_HOME").or_else(|| Some(absolute("HOME")?.join(".config")))?;
    Some(config.join("loyal-porter"))
}

/// Those in the folder, in the order of their names, and then the named ones.
pub(crate) fn own_rules(named: &[PathBuf]) -> Result<Vec<OwnRule>, Failure> {
    let mut files = Vec::new();
    if let Some(folder) = folder()
        && let Ok(rows) = std::fs::read_dir(&folder)
    {
        let in_folder = rows.flatten().map(|row| row.path());
        files.extend(in_folder.filter(|path| path.extension().is_some_and(|end| end == "toml")));
        files.sort();
    }
    files.extend(named.iter().cloned());
    let mut rules: Vec<OwnRule> = Vec::new();
    for file in files {
        let own = read(&file)?;
        if let Some(twin) = rules.iter().find(|known| known.rule.id == own.rule.id) {
            return Err(Failure::wrong_use(
                format!(
                    "`{}` and `{}` are both rules for `{}`",
                    paths::shown(&twin.file),
                    paths::shown(&file),
                    own.rule.id
                ),
                "Nothing was done. Give one of them another id, or take it away.",
            ));
        }
        rules.push(own);
    }
    Ok(rules)
}

/// The rule in a file.
pub(crate) fn read(file: &Path) -> Result<OwnRule, Failure> {
    let shown = paths::shown(file);
    let text = std::fs::read_to_string(file).map_err(|cause| {
        Failure::new(format!("`{shown}` cannot be read: {cause}"), "Name a file with a carry rule.")
    })?;
    let rule = CarryRule::from_toml(&text).map_err(|error| {
        Failure::wrong_use(
            format!("`{shown}` is not a carry rule: {}", error.to_string().trim_end()),
            "Nothing was done. docs/carry-rules.md explains the syntax; `porter rules show mail/thunderbird` is an example.",
        )
    })?;
    Ok(OwnRule { rule, file: file.to_path_buf(), text })
}
