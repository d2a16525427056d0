"""Whatever is changed, by whatever door: emergency calls get out of a site as they did before."""

import pytest

from sedge.core.changes import changed
from sedge.core.enums import Subject
from sedge.core.errors import NotAllowedNow
from sedge.core.records import Site, Trunk
from sedge.core.trunks.records import TrunkState


def save(context, subject, record_type, key, **facts):
    with context.writing() as writing:
        before = writing.records.the(record_type, key)
        writing.save([changed(subject, before, before.copy_with(**facts), "tried")])


def british_trunks(context):
    with context.reading() as reading:
        at = {s.id for s in reading.records.all(Site) if s.country == "GB"}
        return sorted(x.id for x in reading.records.all(Trunk) if x.site in at)


def test_a_site_is_not_taken_to_a_country_without_a_trunk(context):
    with context.reading() as reading:
        trunks = {x.site for x in reading.records.all(Trunk)}
        bare = next(s for s in reading.records.all(Site) if s.id not in trunks)
    with pytest.raises(NotAllowedNow, match="Until now emergency calls got out") as refused:
        save(context, Subject.SITE, Site, bare.id, country="FR")
    assert refused.value.reason == "emergency-hole"
    save(context, Subject.SITE, Site, bare.id, outside_prefix="8")


@pytest.mark.parametrize("facts", [{"emergency": False}, {"state": TrunkState.SUSPENDED}])
def test_the_last_trunk_of_a_country_that_takes_them_stays(context, facts):
    *others, last = british_trunks(context)
    for key in others:
        save(context, Subject.TRUNK, Trunk, key, **facts)
    with pytest.raises(NotAllowedNow, match="no other trunk is left"):
        save(context, Subject.TRUNK, Trunk, last, **facts)


def test_what_is_measured_is_kept_whatever_it_is(context):
    for key in british_trunks(context):
        save(context, Subject.TRUNK, Trunk, key, up=False)
