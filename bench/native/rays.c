/*
 * The native contender of bench rays: reads triangles and sets of rays, prints milliseconds of building and of each set.
 * One thread, one ray a call, robust mode, vectors of 128 bits: what can be compared with the kernel.
 *
 * File: four 32-bit counts (vertices, triangles, sets, rays a set at most), xyz a vertex, three indices a triangle, then
 * a set: count, 1 for any hit, six floats a ray.
 */
#include <embree3/rtcore.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

enum { RUNS = 5 };

static double now(void) {
  struct timespec t;
  clock_gettime(CLOCK_MONOTONIC, &t);
  return t.tv_sec * 1e3 + t.tv_nsec / 1e6;
}

static int by_size(const void *a, const void *b) {
  double d = *(const double *)a - *(const double *)b;
  return d < 0 ? -1 : d > 0;
}

static double median(double *values) {
  qsort(values, RUNS, sizeof *values, by_size);
  return values[RUNS / 2];
}

static void read_all(void *to, size_t size, size_t count, FILE *from) {
  if (fread(to, size, count, from) != count) {
    fprintf(stderr, "the file is cut short\n");
    exit(1);
  }
}

static RTCScene build(RTCDevice device, const float *positions, uint32_t vertices, const uint32_t *indices, uint32_t triangles) {
  RTCScene scene = rtcNewScene(device);
  rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
  rtcSetSceneBuildQuality(scene, RTC_BUILD_QUALITY_MEDIUM);
  RTCGeometry mesh = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
  memcpy(rtcSetNewGeometryBuffer(mesh, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, vertices), positions, 12ul * vertices);
  memcpy(rtcSetNewGeometryBuffer(mesh, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 12, triangles), indices, 12ul * triangles);
  rtcCommitGeometry(mesh);
  rtcAttachGeometry(scene, mesh);
  rtcReleaseGeometry(mesh);
  rtcCommitScene(scene);
  return scene;
}

int main(int argc, char **argv) {
  FILE *file = argc > 1 ? fopen(argv[1], "rb") : NULL;
  if (!file) return fprintf(stderr, "usage: rays FILE\n"), 2;
  uint32_t head[4];
  read_all(head, 4, 4, file);
  float *positions = malloc(12ul * head[0]);
  uint32_t *indices = malloc(12ul * head[1]);
  float *rays = malloc(24ul * head[3]);
  read_all(positions, 12, head[0], file);
  read_all(indices, 12, head[1], file);
  RTCDevice device = rtcNewDevice("threads=1,isa=sse4.2");
  double times[RUNS];
  RTCScene scene = NULL;
  for (int run = 0; run < RUNS; run++) {
    if (scene) rtcReleaseScene(scene);
    double from = now();
    scene = build(device, positions, head[0], indices, head[1]);
    times[run] = now() - from;
  }
  printf("[%f", median(times));
  for (uint32_t s = 0; s < head[2]; s++) {
    uint32_t set[2];
    read_all(set, 4, 2, file);
    read_all(rays, 24, set[0], file);
    for (int run = 0; run < RUNS; run++) {
      double from = now();
      for (uint32_t i = 0; i < set[0]; i++) {
        const float *r = rays + 6ul * i;
        struct RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        struct RTCRayHit hit = {0};
        hit.ray.org_x = r[0];
        hit.ray.org_y = r[1];
        hit.ray.org_z = r[2];
        hit.ray.dir_x = r[3];
        hit.ray.dir_y = r[4];
        hit.ray.dir_z = r[5];
        hit.ray.tfar = 1e30f;
        hit.ray.mask = 0xffffffffu;
        hit.hit.geomID = RTC_INVALID_GEOMETRY_ID;
        if (set[1]) rtcOccluded1(scene, &context, &hit.ray);
        else rtcIntersect1(scene, &context, &hit);
      }
      times[run] = now() - from;
    }
    printf(",%f", median(times));
  }
  printf("]\n");
  return 0;
}
