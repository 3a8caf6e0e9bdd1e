package bargelane.service.machine;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.DynamicUpdate;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** A machine of the inventory, known by its platform identity. */
@Entity
@DynamicUpdate
@Table(name = "machine")
public class MachineEntity {

  @Id public String id;

  @Column(name = "site_id")
  public String siteId;

  @Column(name = "platform_id")
  public String platformId;

  public String name;

  @JdbcTypeCode(SqlTypes.JSON)
  public String facts;

  @Column(name = "first_seen")
  public Instant firstSeen;

  /** The last scan that saw it, once it has vanished; until then that is its site's last scan. */
  @Column(name = "last_seen")
  public Instant lastSeen;

  @Column(name = "vanished_at")
  public Instant vanishedAt;

  /** Labels that were given by hand, as JSON. */
  @JdbcTypeCode(SqlTypes.JSON)
  @Column(name = "own_labels")
  public String ownLabels = "{}";

  /** Labels that rules gave, as JSON; see {@link LabelRules}. */
  @JdbcTypeCode(SqlTypes.JSON)
  @Column(name = "rule_labels", insertable = false, updatable = false)
  public String ruleLabels = "{}";

  // What follows the database tells from the facts; lists are filtered and sorted by it.

  @Column(insertable = false, updatable = false)
  public int cpus;

  @Column(name = "memory_bytes", insertable = false, updatable = false)
  public long memoryBytes;

  @Column(name = "disk_count", insertable = false, updatable = false)
  public int diskCount;

  @Column(name = "disk_bytes", insertable = false, updatable = false)
  public long diskBytes;

  @Column(insertable = false, updatable = false)
  public String os;

  @Column(insertable = false, updatable = false)
  public String firmware;

  @Column(insertable = false, updatable = false)
  public boolean powered;

  @Column(insertable = false, updatable = false)
  public boolean fenced;

  /** Those of the platform and those by hand. */
  @JdbcTypeCode(SqlTypes.JSON)
  @Column(name = "told_labels", insertable = false, updatable = false)
  public String toldLabels;

  /** Those of the platform, of rules and by hand. */
  @JdbcTypeCode(SqlTypes.JSON)
  @Column(insertable = false, updatable = false)
  public String labels;
}
