"""What choices that several kinds share are called on screen; a choice without a label is called as it is written."""

from pydantic.config import JsonDict

OTHERWISE: JsonDict = {
    "keep": "stays as it is",
    "missing": "becomes missing",
    "value": "becomes a value",
    "quarantine": "the record is quarantined",
}
CONSEQUENCES: JsonDict = {
    "quarantine": "the record is quarantined",
    "note": "it is only noted",
    "stop": "the release is stopped",
}
THOSE: JsonDict = {"remove": "are removed", "keep only": "are kept, all others removed"}
MARKS: JsonDict = {"": "none", ".": "point  .", ",": "comma  ,", " ": "space", "'": "apostrophe  '"}
RESULT: JsonDict = {"beside": "in a new column beside it"}
