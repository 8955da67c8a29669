//! Which variables of an environment are the system's, and which make programs load code.

/// The variables that every Windows sets, or a program when it is installed.
const OF_SYSTEM: [&str; 20] = [
    "COMSPEC",
    "DRIVERDATA",
    "FP_NO_HOST_CHECK",
    "NUMBER_OF_PROCESSORS",
    "OS",
    "PATH",
    "PATHEXT",
    "PROCESSOR_ARCHITECTURE",
    "PROCESSOR_IDENTIFIER",
    "PROCESSOR_LEVEL",
    "PROCESSOR_REVISION",
    "PSMODULEPATH",
    "TEMP",
    "TMP",
    "USERNAME",
    "WINDIR",
    "ONEDRIVE",
    "ONEDRIVECONSUMER",
    "ONEDRIVECOMMERCIAL",
    "ASL.LOG",
];

/// Variables that name a program or a library to be run with every other, by their beginnings.
const LOADING_CODE: [&str; 17] = [
    "USERINITMPRLOGONSCRIPT",
    "COR_",
    "CORECLR_",
    "COMPLUS_",
    "DOTNET_",
    "JAVA_TOOL_OPTIONS",
    "_JAVA_OPTIONS",
    "JDK_JAVA_OPTIONS",
    "NODE_OPTIONS",
    "PYTHON",
    "PERL5",
    "RUBY",
    "PSMODULEPATH",
    "PSEXECUTIONPOLICYPREFERENCE",
    "__COMPAT_LAYER",
    "SHIM_",
    "LD_",
];

/// False for a variable that must not come in by a trunk: one by which programs load code, or that is the
/// system's own.
pub fn may_be_set(name: &str) -> bool {
    let is_name = !name.is_empty() && !name.contains(['=', '\0', '\\', '/']);
    is_name && !loads_code(name) && !is_of_system(name)
}

/// True for a variable that every system has, or a program set.
pub fn is_of_system(name: &str) -> bool {
    OF_SYSTEM.iter().any(|known| known.eq_ignore_ascii_case(name))
}

/// True for a variable by which programs load code.
pub fn loads_code(name: &str) -> bool {
    let name = name.to_uppercase();
    LOADING_CODE.iter().any(|begin| name.starts_with(begin))
}
