"""Judgements as they stand: what each rule says of thousands of cases, drawn with a seed and turned about one figure at a time.

The other tests say what is right, by published values and at the limits. This one says that nothing changed: a rule that is changed on purpose is told
anew with `python -m metrology.tests.as_judged`, and the difference of the files in `told/` shows which cases are judged otherwise from then on.
"""
