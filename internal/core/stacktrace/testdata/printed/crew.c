#include <stddef.h>
struct roster { int *berth; };
static int assign(struct roster *r, int i) { return r->berth[i]; }
int main(void) { struct roster r = { NULL }; return assign(&r, 3); }
