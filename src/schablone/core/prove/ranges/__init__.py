"""The range run: a design built over all that an edition of it allows, to find where it breaks and
why.

``allowed`` says what may vary, ``plan`` what is built, ``judge`` whether one build holds,
``shrink`` what a failure comes from, ``mend`` what would rule it out, ``over_two`` what is seen on
a map. Who builds, on how many processors, is for a host to say: nothing here waits.
"""
