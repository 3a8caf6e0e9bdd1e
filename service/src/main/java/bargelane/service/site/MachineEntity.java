package bargelane.service.site;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** A machine of the inventory, known by its platform identity. */
@Entity
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

  @Column(name = "last_seen")
  public Instant lastSeen;

  @Column(name = "vanished_at")
  public Instant vanishedAt;
}
