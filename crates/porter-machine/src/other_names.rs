//! Folders of Windows 2000 and XP in other languages. Later generations show translated names, and keep
//! English ones on the drive.
//!
//! The registry names them; where it cannot be read, known names and a folder's contents decide.

use super::layout::{Layout, WINDOWS_2000_AND_XP};
use super::looker::Looker;
use super::registry::describe::SharedFolders;
use super::registry::hives::shared_folders;
use super::{FoundPlace, Place, PlaceState};
use porter_names::RelativePath;
use porter_source::{EntryKind, Volume};

/// Below a profile folder: German, French, Spanish, Italian, Dutch, Portuguese.
const PERSONAL: &[(Place, &[&str])] = &[
    (Place::Desktop, &["Bureau", "Escritorio", "Bureaublad"]),
    (
        Place::Documents,
        &[
            "Eigene Dateien",
            "Mes documents",
            "Mis documentos",
            "Documenti",
            "Mijn documenten",
            "Meus documentos",
        ],
    ),
    (
        Place::Pictures,
        &[
            "Eigene Dateien/Eigene Bilder",
            "Mes documents/Mes images",
            "Mis documentos/Mis imágenes",
            "Documenti/Immagini",
            "Mijn documenten/Mijn afbeeldingen",
            "Meus documentos/Minhas imagens",
        ],
    ),
    (
        Place::Music,
        &[
            "Eigene Dateien/Eigene Musik",
            "Mes documents/Ma musique",
            "Mis documentos/Mi música",
            "Documenti/Musica",
            "Mijn documenten/Mijn muziek",
            "Meus documentos/Minhas músicas",
        ],
    ),
    (
        Place::Videos,
        &[
            "Eigene Dateien/Eigene Videos",
            "Mes documents/Mes vidéos",
            "Mis documentos/Mis vídeos",
            "Documenti/Video",
            "Mijn documenten/Mijn video's",
            "Meus documentos/Meus vídeos",
        ],
    ),
    (Place::Favourites, &["Favoriten", "Favoris", "Favoritos", "Preferiti", "Favorieten"]),
    (
        Place::RoamingData,
        &["Anwendungsdaten", "Datos de programa", "Dati applicazioni", "Dados de aplicativos"],
    ),
    (
        Place::LocalData,
        &[
            "Lokale Einstellungen/Anwendungsdaten",
            "Configuración local/Datos de programa",
            "Impostazioni locali/Dati applicazioni",
            "Configurações locais/Dados de aplicativos",
        ],
    ),
];

/// A place under its name in another language, if it is there.
pub(super) fn find_personal(
    looker: &mut Looker<'_>,
    layout: &Layout,
    home: &RelativePath,
    place: Place,
) -> Option<FoundPlace> {
    let is_xp = std::ptr::eq(layout.personal, WINDOWS_2000_AND_XP.personal);
    let (_, names) = PERSONAL.iter().find(|(known, _)| is_xp && *known == place)?;
    names.iter().map(|name| looker.find(home, name)).find(|found| found.state == PlaceState::Present)
}

/// The layout of a Windows 2000 or XP, its folders under whatever names. None if nothing on the drive holds
/// people's folders.
pub(super) fn layout_of_xp(volume: &dyn Volume, looker: &mut Looker<'_>) -> Option<&'static Layout> {
    let root = RelativePath::root();
    let told = shared_folders(volume, looker);
    let mut is_there = |path: &String| looker.find(&root, path).state == PlaceState::Present;
    let usual = WINDOWS_2000_AND_XP.profiles.to_owned();
    let known = told.profiles.clone().into_iter().chain([usual]).find(&mut is_there);
    let profiles = known.or_else(|| folder_of_profiles(looker))?;
    let all_users = told.all_users.clone().unwrap_or_else(|| "All Users".to_owned());
    let home = format!("{profiles}/{all_users}");
    let home = if looker.find(&root, &home).state == PlaceState::Present {
        home
    } else {
        // Some languages have another name for it, too.
        format!("{profiles}/All Users")
    };
    if home == WINDOWS_2000_AND_XP.shared_home && told.shared.is_empty() {
        return Some(&WINDOWS_2000_AND_XP);
    }
    Some(in_other_words(&profiles, &home, &told, looker))
}

/// A folder at the root in which somebody's folder is: it holds a registry.
fn folder_of_profiles(looker: &mut Looker<'_>) -> Option<String> {
    let root = RelativePath::root();
    let folders = |looker: &mut Looker<'_>, at: &RelativePath| -> Vec<RelativePath> {
        let rows = looker.list(at).iter().filter(|row| row.metadata.kind == EntryKind::Folder);
        rows.filter_map(|row| at.join(&row.name).ok()).collect()
    };
    for above in folders(looker, &root) {
        for home in folders(looker, &above) {
            if looker.find(&home, "NTUSER.DAT").state == PlaceState::IsFile {
                return std::str::from_utf8(above.as_bytes()).ok().map(str::to_owned);
            }
        }
    }
    None
}

/// Such a layout is made once for a machine, and stays as long as the program runs.
fn in_other_words(
    profiles: &str,
    home: &str,
    told: &SharedFolders,
    looker: &mut Looker<'_>,
) -> &'static Layout {
    let usual = &WINDOWS_2000_AND_XP;
    let kept = |text: String| -> &'static str { Box::leak(text.into_boxed_str()) };
    let root = RelativePath::root();
    let mut shared = Vec::new();
    for (place, below) in usual.shared {
        let told_below = told.shared.get(place).and_then(|path| path.strip_prefix(&format!("{home}/")));
        let known: &[&str] = match place {
            Place::SharedDocuments => &["Dokumente", "Documents", "Documentos", "Documenti", "Documenten"],
            _ => &[],
        };
        let mut is_there =
            |below: &&&str| looker.find(&root, &format!("{home}/{below}")).state == PlaceState::Present;
        let below = match told_below {
            Some(told) => kept(told.to_owned()),
            None => known.iter().find(&mut is_there).copied().unwrap_or(below),
        };
        shared.push((*place, below));
    }
    let data = told.shared.get(&Place::SharedData).cloned();
    let data = data.or_else(|| {
        let also = PERSONAL.iter().find(|(place, _)| *place == Place::RoamingData)?.1;
        let named = also.iter().map(|name| format!("{home}/{name}"));
        named.into_iter().find(|path| looker.find(&root, path).state == PlaceState::Present)
    });
    let data = data.unwrap_or_else(|| format!("{home}/Application Data"));
    Box::leak(Box::new(Layout {
        family: usual.family,
        profiles: kept(profiles.to_owned()),
        shared_home: kept(home.to_owned()),
        shared_data: kept(data),
        records: usual.records,
        personal: usual.personal,
        shared: Box::leak(shared.into_boxed_slice()),
    }))
}
