"""Learning from data that exists: the shapes of its columns, so that made-up data has its proportions and none of its values."""

from .comparing import Compared, compared
from .learning import Learned, learn
from .profile import EntityProfile, FieldProfile, K, profile_of
from .sampling import profiles_at

__all__ = ["Compared", "EntityProfile", "FieldProfile", "K", "Learned", "compared", "learn", "profile_of", "profiles_at"]
