"""Any solid: one of the kinds that are registered by the time this is read, told apart by its `kind`."""

from __future__ import annotations

import operator
from functools import reduce
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from roofline.model.massing import KINDS, SolidBase

if TYPE_CHECKING:
    AnySolid = SolidBase
else:
    AnySolid = Annotated[reduce(operator.or_, KINDS.values()), Field(discriminator="kind")]
