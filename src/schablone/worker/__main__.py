import gc
import sys

gc.disable()  # while all of it is loaded, which stays
from .main import main  # noqa: E402

gc.enable()
main(sys.argv[1:])
