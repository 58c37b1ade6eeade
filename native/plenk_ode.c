/* Rigid bodies by ODE (Debian's libode8): a world is bodies alone; contacts are found elsewhere and given for each step.
   ODE keeps one stream of random numbers for a process: worlds are stepped one after another, each from its own seed. */
#include <ode/ode.h>
#include <stdlib.h>
#include <string.h>

typedef struct {
  double a, b; /* numbers of bodies; b = -1: what does not move */
  double at[3], normal[3] /* pushes a */, slip[3], friction, bounce, bounce_speed;
} plenk_contact;

typedef struct {
  dWorldID world;
  dJointGroupID joints;
  dBodyID *bodies;
  int count, room;
} plenk_world;

/* 0: fits. 1: the library is built for single precision. */
int plenk_ode_unfit(void) {
  if (!dInitODE2(0)) return 2;
  return dCheckConfiguration("ODE_double_precision") && sizeof(dReal) == 8 ? 0 : 1;
}

plenk_world *plenk_ode_begin(double gravity, int iterations) {
  plenk_world *w = calloc(1, sizeof *w);
  if (!w) return 0;
  w->world = dWorldCreate();
  w->joints = dJointGroupCreate(0);
  dWorldSetGravity(w->world, 0, -gravity, 0);
  dWorldSetERP(w->world, 0);
  dWorldSetCFM(w->world, 1e-12);
  dWorldSetQuickStepNumIterations(w->world, iterations);
  dWorldSetAutoDisableFlag(w->world, 0);
  return w;
}

/* inertia: xx yy zz xy xz yz about the centre of mass, along the body's own axes. */
int plenk_ode_body(plenk_world *w, double mass, const double *inertia) {
  if (w->count == w->room) {
    int room = w->room ? 2 * w->room : 64;
    dBodyID *more = realloc(w->bodies, room * sizeof *more);
    if (!more) return -1;
    w->bodies = more;
    w->room = room;
  }
  dMass m;
  dMassSetParameters(&m, mass, 0, 0, 0, inertia[0], inertia[1], inertia[2], inertia[3], inertia[4], inertia[5]);
  dBodyID b = dBodyCreate(w->world);
  dBodySetMass(b, &m);
  dBodySetGyroscopicMode(b, 1);
  w->bodies[w->count] = b;
  return w->count++;
}

/* A body hangs on a point of the world, given where it stands now: place x y z, turn w x y z. */
void plenk_ode_hang(plenk_world *w, int body, const double *state, const double *point) {
  dQuaternion q = {state[3], state[4], state[5], state[6]};
  dBodySetPosition(w->bodies[body], state[0], state[1], state[2]);
  dBodySetQuaternion(w->bodies[body], q);
  dJointID j = dJointCreateBall(w->world, 0);
  dJointAttach(j, w->bodies[body], 0);
  dJointSetBallAnchor(j, point[0], point[1], point[2]);
  dJointSetBallParam(j, dParamERP, 0.2);
}

/* A body goes its own way and pushes what it meets: nothing moves it. */
void plenk_ode_carry(plenk_world *w, int body) { dBodySetKinematic(w->bodies[body]); }

/* state: place x y z, turn w x y z, velocity x y z, spin x y z; 13 numbers a body. awake: 1 moves, 0 stands. */
void plenk_ode_put(plenk_world *w, const double *state, const unsigned char *awake) {
  for (int i = 0; i < w->count; i++) {
    const double *s = state + 13 * i;
    dBodyID b = w->bodies[i];
    dQuaternion q = {s[3], s[4], s[5], s[6]};
    dBodySetPosition(b, s[0], s[1], s[2]);
    dBodySetQuaternion(b, q);
    dBodySetLinearVel(b, s[7], s[8], s[9]);
    dBodySetAngularVel(b, s[10], s[11], s[12]);
    if (awake[i]) dBodyEnable(b);
    else dBodyDisable(b);
  }
}

void plenk_ode_get(plenk_world *w, double *state) {
  for (int i = 0; i < w->count; i++) {
    double *s = state + 13 * i;
    dBodyID b = w->bodies[i];
    memcpy(s, dBodyGetPosition(b), 3 * sizeof *s);
    memcpy(s + 3, dBodyGetQuaternion(b), 4 * sizeof *s);
    memcpy(s + 7, dBodyGetLinearVel(b), 3 * sizeof *s);
    memcpy(s + 10, dBodyGetAngularVel(b), 3 * sizeof *s);
  }
}

void plenk_ode_step(plenk_world *w, double seconds, unsigned long seed, const plenk_contact *contacts, int count) {
  dRandSetSeed(seed);
  for (int i = 0; i < count; i++) {
    const plenk_contact *k = contacts + i;
    dContact c;
    memset(&c, 0, sizeof c);
    c.surface.mode = dContactApprox1 | dContactFDir1 | dContactBounce | dContactSoftERP;
    c.surface.mu = k->friction;
    c.surface.bounce = k->bounce;
    c.surface.bounce_vel = k->bounce_speed;
    c.surface.soft_erp = 0; /* depth is taken out of the places by who finds the contacts */
    for (int j = 0; j < 3; j++) {
      c.geom.pos[j] = k->at[j];
      c.geom.normal[j] = k->normal[j];
      c.fdir1[j] = k->slip[j];
    }
    dJointAttach(dJointCreateContact(w->world, w->joints, &c), w->bodies[(int)k->a], k->b < 0 ? 0 : w->bodies[(int)k->b]);
  }
  dWorldQuickStep(w->world, seconds);
  dJointGroupEmpty(w->joints);
}

void plenk_ode_end(plenk_world *w) {
  dJointGroupDestroy(w->joints);
  dWorldDestroy(w->world);
  free(w->bodies);
  free(w);
}
