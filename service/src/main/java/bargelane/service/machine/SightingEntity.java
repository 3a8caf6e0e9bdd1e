package bargelane.service.machine;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.IdClass;
import jakarta.persistence.Table;
import java.io.Serializable;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** What a source told of a machine, and when. */
@Entity
@Table(name = "sighting")
@IdClass(SightingEntity.Key.class)
public class SightingEntity {

  /** Its identity. */
  public record Key(String siteId, String sourceKey) implements Serializable {}

  @Id
  @Column(name = "site_id")
  public String siteId;

  /** What the source knows the machine by. */
  @Id
  @Column(name = "source_key")
  public String sourceKey;

  @Column(name = "machine_id")
  public String machineId;

  @Column(name = "seen_at")
  public Instant seenAt;

  /** A machine's facts, as JSON. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String facts;

  /** The whole survey, as JSON; null where the source makes none. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String survey;

  /** The connections that were open when it was looked at last, as JSON. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String links = "[]";
}
