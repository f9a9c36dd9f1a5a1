"""Transformers: harmonics by both standards, rated power, starting, secondary conductors, against worked figures."""

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northfell.core.catalogue import sizing_tables as tables
from northfell.core.studies.coordination import transformer_limit
from northfell.core.studies.sizing.transformers import Spectrum, dip_pct, en_factor, greatest_load_pu, loss_factor, next_rating_kva, secondary_least_a

EXAMPLES = {e["id"]: e for e in json.loads((Path(__file__).parent / "examples.json").read_text())}
STANDARD = {1: 0.978, 5: 0.171, 7: 0.108, 11: 0.044, 13: 0.028, 17: 0.015, 19: 0.0098}  # example of IEEE C57.110, of the rms current


def test_the_iec_example_step_by_step():
    x, want = EXAMPLES["IEC-3"]["inputs"], EXAMPLES["IEC-3"]["result"]
    spectrum = Spectrum({int(h): i for h, i in x["spectrum"].items() if h != "1"})
    k = en_factor(spectrum, x["e"], x["q"])
    assert k == pytest.approx(want["K"], rel=1e-5)
    assert next_rating_kva(x["load_kVA"] * x["growth"] * k, "IEC") == want["kVA"]
    z = 1.1 * x["U2_V"] ** 2 / (1e6 * x["Sk_MVA"]) + x["uk_pct"] / 100 * x["U2_V"] ** 2 / (1000 * want["kVA"])
    m = x["motor"]
    s_locked = m["locked_rotor_multiple"] * m["P_kW"] / (m["eta"] * m["cosphi"])
    assert dip_pct(complex(0, z), x["U2_V"], s_locked, m["cosphi_start"]) == pytest.approx(want["dip_pct"], rel=2e-3)


def test_the_ieee_spectrum_and_what_is_left_of_a_rating():
    spectrum = Spectrum({h: i / STANDARD[1] for h, i in STANDARD.items() if h > 1})
    assert loss_factor(spectrum) == pytest.approx(2.724, abs=5e-4)
    assert loss_factor(spectrum, 0.8) == pytest.approx(1.140, abs=5e-4)
    assert [greatest_load_pu(spectrum, p) for p in (0.05, 0.08, 0.1, 0.15)] == pytest.approx([0.961, 0.942, 0.930, 0.904], abs=5e-4)


def test_the_nec_example_of_a_dry_transformer():
    x, want = EXAMPLES["NEC-3"]["inputs"], EXAMPLES["NEC-3"]["result"]
    i_p, i_s = (1000 * x["kVA"] / (3**0.5 * v) for v in (x["Vp"], x["Vs"]))
    assert (i_p, i_s) == pytest.approx((want["Ip_A"], want["Is_A"]), rel=1e-5)
    primary = transformer_limit("primary", x["Vp"] / 1000, x["Vp"] / 1000, 5.0, i_p, fuse=False, both=True, supervised=False)
    ceiling = primary.most_a(i_p, comes_in_sizes=True)
    assert max(a for a in tables.nec_standard_a() if a <= ceiling) == want["primary_max_A"]
    assert next(a for a in tables.nec_standard_a() if a >= x["primary_design_pct"] / 100 * i_p) == want["primary_A"]
    secondary = transformer_limit("secondary", x["Vp"] / 1000, x["Vs"] / 1000, 5.0, i_s, fuse=False, both=True, supervised=False)
    assert secondary.most_a(i_s, comes_in_sizes=True) == want["secondary_A"]
    least = secondary_least_a(want["secondary_A"], want["primary_A"] * x["Vp"] / x["Vs"])
    assert secondary_least_a(0.0, want["primary_A"] * x["Vp"] / x["Vs"]) == pytest.approx(want["third_rule_A"], rel=1e-5)
    capacities = tables.nec_capacities("copper", 75)
    assert next(w.key for w in tables.nec_sizes() if capacities[w.key] >= least) == want["secondary_size"]
    assert next(w.key for w in tables.nec_sizes() if w.area_mm2 > 53 and 2 * capacities[w.key] >= least) == want["secondary_size_two_sets"]
    for device, size in ((want["primary_A"], want["egc_primary"]), (want["secondary_A"], want["egc_secondary"])):
        assert tables.nec_egc(device, "copper").key == size
    assert tables.nec_bonding(tables.nec_wire_by_key(want["secondary_size"]).area_mm2, "copper") == (want["bond_cu"], False)


@given(st.dictionaries(st.integers(2, 40), st.floats(0, 0.5), max_size=6), st.floats(0.01, 0.3))
def test_harmonics_never_help(pu, e):
    more = Spectrum(pu | {41: 0.1})
    assert en_factor(Spectrum(pu), e, 1.7) >= 1
    assert en_factor(more, e, 1.7) >= en_factor(Spectrum(pu), e, 1.7) * (1 - 1e-12)
    assert greatest_load_pu(Spectrum(pu), e) <= 1 + 1e-12
