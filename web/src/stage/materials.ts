import { type Material, Mesh, MeshLambertMaterial, MeshStandardMaterial } from 'three'

/**
 * Give a mesh materials that are computed quickly where there is no graphics card: colours, pictures and what shines
 * through as they are, lit as matt surfaces. What is left out (roughness, metal, normal maps) takes most of the time a
 * pixel needs there.
 */
export function mattly(mesh: Mesh) {
  mesh.material = Array.isArray(mesh.material) ? mesh.material.map(matt) : matt(mesh.material)
}

function matt(material: Material): Material {
  if (!(material instanceof MeshStandardMaterial)) return material
  const { color, map, alphaMap, emissive, emissiveMap, emissiveIntensity } = material
  const { side, transparent, opacity, alphaTest, depthWrite, vertexColors, flatShading, name } = material
  const made = new MeshLambertMaterial({
    ...{ color, map, alphaMap, emissive, emissiveMap, emissiveIntensity },
    ...{ side, transparent, opacity, alphaTest, depthWrite, vertexColors, flatShading, name },
  })
  material.dispose()
  return made
}
