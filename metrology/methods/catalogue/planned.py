"""Kinds of work that are in the register already and are done on paper until their method is here: key, title, family."""

PLANNED: tuple[tuple[str, str, str], ...] = (
    ("an-multigas", "Extractive multi-component analyzer", "analyzer"),
    ("an-trace-o2", "Trace oxygen analyzer", "analyzer"),
    ("an-ph", "pH, two buffers", "analyzer"),
    ("an-duplicate-blank", "Injected-sample analyzer", "analyzer"),
    ("flow-coriolis-zero", "Coriolis flow meter, zero", "flow meter"),
    ("flow-mag-verify", "Magnetic flow meter, verification", "flow meter"),
    ("weigh-vessel", "Vessel on load cells", "weighing"),
    ("weigh-indicator", "Weighing indicator", "weighing"),
    ("weigh-belt", "Belt weigher", "weighing"),
)
