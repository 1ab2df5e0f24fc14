import type { MigrationInterface, QueryRunner } from 'typeorm';

/** The boot kit and the kubeconfig are acts of their own: a token that was made for both keeps what it was made for. */
export class ClusterAccess1767200000000 implements MigrationInterface {
  name = 'ClusterAccess1767200000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query("update token set acts = acts || array['clusters.view', 'clusters.edit'] where 'clusters.access' = any(acts)");
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query("update token set acts = array_remove(array_remove(acts, 'clusters.view'), 'clusters.edit')");
  }
}
