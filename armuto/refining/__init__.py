"""What is done to a clip before anybody performs it: its recipe, an ordered list of steps that leaves the take alone.

One module per kind of step: each an immutable value of parameters with a function from clip to clip. Times in a step
are frames of the take, so that a step means the same whatever comes before it.
"""

from armuto.refining.recipe import Recipe, all_values, from_file, from_json, to_json
from armuto.refining.refined import Body, Refined, body_of

__all__ = ["Body", "Recipe", "Refined", "all_values", "body_of", "from_file", "from_json", "to_json"]
