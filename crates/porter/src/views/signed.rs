//! Documents with the workshop's signature in them.

use porter_trunk::signature::{Authenticity, Signature, SigningKey, digest};
use serde_json::Value;
use time::OffsetDateTime;

/// Where it stands in a document.
const FIELD: &str = "signature";
/// The kind of document that is signed.
const RECEIPT: &str = "receipt";
const PAGE: &str = "page";

/// A receipt as JSON, signed if there is a key. The signature covers the document without the signature,
/// written without blanks and with its fields in the order of their names.
pub(crate) fn json(mut document: Value, key: Option<&SigningKey>, now_utc: OffsetDateTime) -> Value {
    if let Some(key) = key {
        let signature = key.sign(RECEIPT, &digest(&written(&document)), now_utc);
        document[FIELD] = serde_json::to_value(signature).unwrap_or_default();
    }
    document
}

/// Whether a saved receipt is what its signer signed.
pub(crate) fn authenticity_of(document: &Value) -> Authenticity {
    let mut document = document.clone();
    let Some(signature) = document.as_object_mut().and_then(|fields| fields.remove(FIELD)) else {
        return Authenticity::NotSigned;
    };
    match serde_json::from_value::<Signature>(signature) {
        Ok(signature) if signature.is_of(RECEIPT, &digest(&written(&document))) => {
            Authenticity::Signed(signature)
        }
        _ => Authenticity::Altered,
    }
}

/// The same of a page: the signature stands in a remark behind it.
pub(crate) fn page(mut page: String, key: Option<&SigningKey>, now_utc: OffsetDateTime) -> String {
    if let Some(key) = key {
        let signature = key.sign(PAGE, &digest(page.as_bytes()), now_utc);
        let signature = serde_json::to_string(&signature).unwrap_or_default();
        // Nothing in it ends a remark.
        let signature = signature.replace("--", "\\u002d\\u002d").replace('>', "\\u003e");
        page.push_str(&format!("<!-- porter-signature {signature} -->\n"));
    }
    page
}

/// Maps are in the order of their keys.
fn written(document: &Value) -> Vec<u8> {
    serde_json::to_vec(document).unwrap_or_default()
}
