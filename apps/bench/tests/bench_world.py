"""A small bench for tests: one smart pressure transmitter, two blocks with sensors, everything quick."""

from apps.bench.maps import check_map
from apps.bench.models import Device
from apps.bench.simulator.bench import Bench
from apps.bench.simulator.world import World, build_world

SLOW_S = 3.0  # what a stalled machine may take over an answer; nothing here waits for a device that is silent on purpose


def quick_world(**changes) -> World:
    """Time runs fast, so that a round takes seconds."""
    return build_world(
        {
            "speed": 8.0,
            "transmitters": [
                {
                    "tag": "PT-2110",
                    "transmitter": {"lrl": -100, "url": 1000, "lrv": 0, "urv": 400, "zero_error": 0.1, "noise": 0.001, **changes},
                    "source_noise": 0.001,
                }
            ],
            "blocks": [
                {
                    "code": code,
                    "port": 0,
                    "block": {"ramp": 400.0, "lag_s": 1.0, "stability": 0.001},
                    "sensors": [{"sensor": "pt", "noise": 0.0003, "lag_s": 0.5, "faults": faults} for faults in sensors],
                }
                for code, sensors in (("A", ({}, {}, {"lead_ohm": 0.4})), ("B", ({"lead_ohm": 0.4}, {})))
            ],
        }
    )


def signal(key, label, unit, read, **more):
    return {"key": key, "label": label, "unit": unit, "read": read, **more}


def add_device(code, protocol, port, signals, **more) -> Device:
    """A device by its map, as a file would bring it."""
    data = {
        "format": "verify-loop-signals/1",
        "device": code,
        "protocol": protocol,
        "address": f"127.0.0.1:{port}",
        "signals": signals,
        **more,
    }
    fields = check_map(data)
    return Device.objects.create(**fields)


def add_devices(bench: Bench) -> None:
    """Every device of the quick world."""
    source = signal("p", "Pressure source", "kPa", "MEAS1:INP?", write="SOUR1:LEV {value}", tag="PT-2110", low=-200, high=1300, rest=0)
    current = signal("i", "Loop current", "mA", "MEAS1:OUTP?", tag="PT-2110", low=0, high=25)
    inject = signal("inject", "Source current", "mA", "SOUR1:CURR?", write="SOUR1:CURR {value}", tag="PT-2110", low=0, high=25)
    add_device("CAL", "scpi", bench.ports["calibrator"], [source, current, inject], timeout_s=SLOW_S)
    registers = [
        signal("shown", "In the control system", "kPa", {"address": 0}, low=-400, high=800),
        signal("current", "Loop current, marshalling", "mA", {"address": 6, "word_order": "little"}, low=0, high=25),
        signal("wrong", "Read in the wrong order", "mA", {"address": 6, "word_order": "big"}, low=0, high=25),
    ]
    add_device("CS", "modbus", bench.ports["modbus"], registers, timeout_s=SLOW_S)
    digital = [signal("pv", "Digital value", "kPa", "pv", tag="PT-2110"), signal("ma", "Loop current", "mA", "ma")]
    add_device("HART", "hart", bench.ports["hart PT-2110"], digital, timeout_s=SLOW_S)
    for code, block, more in (("A", "MB-B01", (2, 3)), ("B", "MB-B02", (2,))):
        signals = [
            signal("probe", f"Probe in {code}", "°C", "MEAS:PROB?", role="applied", write="SOUR:TEMP {value}", low=-60, high=700),
            signal("s1", f"Sensor in {code}", "ohm", "MEAS:SENS1?", role="indicated", tag=f"TE-{code}", low=0, high=4000),
            *(
                signal(f"s{n}", f"Sensor {n} in {code}", "ohm", f"MEAS:SENS{n}?", role="indicated", tag=f"TE-{code}{n}", low=0, high=4000)
                for n in more
            ),
        ]
        add_device(
            f"BLOCK-{code}",
            "scpi",
            bench.ports[f"block {code}"],
            signals,
            timeout_s=SLOW_S,
            item=block,
            pace={"unit_s": 0.01, "settle_s": 3, "from": 23},
        )
