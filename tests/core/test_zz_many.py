import sys; sys.path.insert(0,'/work/main')
from hypothesis import given, settings, seed
import tests.core.test_seated as T
import pytest
@seed(5)
@settings(max_examples=2500, deadline=None, derandomize=False, database=None)
@given(T.st.lists(T.work, min_size=1, max_size=6))
def test_many(steps): T.test_what_is_seated_is_what_the_boolean_makes.hypothesis.inner_test(steps)
