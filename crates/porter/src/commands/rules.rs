//! `porter rules`.

use crate::arguments::OwnRulesArguments;
use crate::failure::{Failure, Outcome};
use crate::rules_folder::{self, OwnRule, own_rules};
use crate::screen::say_json;
use crate::{open, paths, views};
use clap::{Args, Subcommand};
use porter_core::survey::survey;
use porter_kinds::catalogue::{Catalogue, built_in_rules};
use porter_kinds::choice::Selection;
use porter_kinds::choice::Unchosen;
use std::path::PathBuf;

/// List, show and try carry rules: which files of which program are carried, and where they live
#[derive(Debug, Args)]
pub(crate) struct RulesArguments {
    #[command(subcommand)]
    what: What,
}

#[derive(Debug, Subcommand)]
enum What {
    /// List the rules in force
    List {
        #[command(flatten)]
        rules: OwnRulesArguments,
        /// One JSON document on standard output
        #[arg(long)]
        json: bool,
    },
    /// Print a rule as it is written
    Show {
        /// Such as mail/thunderbird
        id: String,
        #[command(flatten)]
        rules: OwnRulesArguments,
    },
    /// Say what the rule in a file finds on a machine. Reads only
    Try {
        /// The file with the rule, or the id of a built-in one
        #[arg(value_parser = paths::typed())]
        file: PathBuf,
        /// Folder where a machine's system drive is mounted, or `here` for the running one
        #[arg(value_parser = paths::typed())]
        machine: PathBuf,
        /// One JSON document on standard output
        #[arg(long)]
        json: bool,
    },
}

pub(crate) fn run(arguments: &RulesArguments) -> Result<Outcome, Failure> {
    match &arguments.what {
        What::List { rules, json } => {
            let own = own_rules(&rules.files)?;
            let built_in = built_in()?;
            let rows: Vec<views::rules::Row<'_>> = own
                .iter()
                .map(|own| views::rules::Row { rule: &own.rule, file: Some(&own.file), replaced: false })
                .chain(built_in.iter().map(|known| views::rules::Row {
                    rule: &known.rule,
                    file: None,
                    replaced: own.iter().any(|own| own.rule.id == known.rule.id),
                }))
                .collect();
            if *json {
                say_json(&views::rules::list_json(&rows));
            } else {
                views::rules::list(&rows, rules_folder::folder().as_deref());
            }
        }
        What::Show { id, rules } => {
            let mut all = own_rules(&rules.files)?;
            all.extend(built_in()?);
            let Some(found) = all.iter().find(|known| known.rule.id == *id) else {
                return Err(Failure::wrong_use(
                    format!("there is no rule `{id}`"),
                    "`porter rules list` shows the ids.",
                ));
            };
            views::rules::show(found);
        }
        What::Try { file, machine, json } => {
            let known = built_in()?.into_iter().find(|known| file.to_str() == Some(known.rule.id.as_str()));
            let own = match known {
                Some(known) => known,
                None => rules_folder::read(file)?,
            };
            let machine = open::machine(machine, &crate::arguments::DriveArguments::default())?;
            let found = views::rules::looked_for(&machine, &own.rule);
            let (id, about) = (own.rule.id.clone(), own.rule.about.clone());
            let kinds = Catalogue::built_in(machine.layout.family)
                .map_err(|error| open::fault(&error))?
                .with_rules(vec![own.rule]);
            let conduct = crate::arguments::ConductArguments { quiet: true, events: None };
            let counted = open::conducted(&conduct, |conduct| {
                survey(&machine, &kinds.into(), &Selection::default(), &Unchosen::default(), conduct)
            })?
            .map_err(|cancelled| Failure::new(cancelled.to_string(), "Nothing was changed."))?;
            if *json {
                say_json(&views::rules::tried_json(&machine, &id, &found, &counted));
            } else {
                views::rules::tried(&machine, &id, about.as_deref(), &found, &counted);
            }
        }
    }
    Ok(Outcome::Well)
}

fn built_in() -> Result<Vec<OwnRule>, Failure> {
    let rules = built_in_rules().map_err(|error| open::fault(&error))?;
    let own = |(rule, file): (_, porter_kinds::catalogue::BuiltIn)| OwnRule {
        rule,
        file: PathBuf::new(),
        text: file.text.to_owned(),
    };
    Ok(rules.into_iter().map(own).collect())
}
