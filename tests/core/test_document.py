import json

import pytest

from brook.core.study import DocumentError, read_study, study_text
from tests.core.studies import raw_tray, tray


def refused(change):
    raw = raw_tray()
    change(raw)
    with pytest.raises(DocumentError) as error:
        read_study(json.dumps(raw))
    return error.value.problems


def test_a_document_survives_writing_and_reading():
    study = tray()
    assert read_study(study_text(study)) == study


def test_broken_json_says_line_and_column():
    with pytest.raises(DocumentError, match="line 2, column 1"):
        read_study('{"format": "brook-study",\n')


def test_another_version_is_named():
    problems = refused(lambda raw: raw.update(version=7))
    assert problems[0].path == "/version"
    assert "version 7" in problems[0].message
    assert "reads version 1" in problems[0].message


@pytest.mark.parametrize("text", ["[]", "3", '"x"', "null", "{}", "[" * 100_000])
def test_other_json_is_no_study(text):
    with pytest.raises(DocumentError):
        read_study(text)


def test_bytes_that_are_no_text_are_refused():
    with pytest.raises(DocumentError, match="UTF-8"):
        read_study(b"\xff\xfe\x00{")


def test_unknown_and_missing_fields_stand_at_their_place():
    def change(raw):
        raw["mesh_plan"]["bluk"] = "3 mm"
        del raw["variants"][0]["geometry"]["outer"]["width"]

    found = {p.path: p.message for p in refused(change)}
    assert "'bluk' is not a field" in found["/mesh_plan/bluk"]
    assert found["/variants/0/geometry/outer/width"] == "this is missing"


def test_an_unknown_kind_lists_the_known_ones():
    problems = refused(lambda raw: raw["set_up"]["boundaries"][0].update(kind="suction"))
    assert problems[0].path == "/set_up/boundaries/0"
    assert "'suction' is not known" in problems[0].message
    assert "velocity" in problems[0].message


def test_two_variants_of_one_name_are_refused():
    problems = refused(lambda raw: raw["variants"][1].update(name="plain"))
    assert "'plain'" in problems[0].message
