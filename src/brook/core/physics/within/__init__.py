"""What porous bodies and screens take of the pressure, under the names of `brook.core.study.within`."""
