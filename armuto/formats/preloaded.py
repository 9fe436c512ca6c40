"""What readers need, warm before they are forked: the server that forks them (:mod:`armuto.isolation`) imports this.

The first file that a process reads takes twice as long as the next, for lexicons and plans that it then knows. And
without freezing, the collector of every fork would walk through all of them, and copy their memory on the way.
"""

import gc

from armuto import formats
from armuto.formats.gltf import simplification  # noqa: F401

SMALLEST = b"""HIERARCHY
ROOT Hips
{
  OFFSET 0 90 0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT LeftUpLeg
  {
    OFFSET 10 0 0
    CHANNELS 3 Zrotation Xrotation Yrotation
    End Site
    {
      OFFSET 0 -80 0
    }
  }
}
MOTION
Frames: 2
Frame Time: 0.0333333
0 90 0 0 0 0 0 0 0
0 90 0 0 0 0 0 0 0
"""

formats.read(SMALLEST, "smallest.bvh")
gc.collect()
gc.freeze()
