package bargelane.service.usage;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.IdClass;
import jakarta.persistence.Table;
import java.io.Serializable;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** A machine's counters as one site told them last. */
@Entity
@Table(name = "usage_counter")
@IdClass(UsageCounterEntity.Key.class)
public class UsageCounterEntity {

  /** Its identity. */
  public record Key(String machineId, String source) implements Serializable {}

  @Id
  @Column(name = "machine_id")
  public String machineId;

  /** The site that told them. */
  @Id public String source;

  public Instant at;

  /** What is kept of them until the next look, as JSON. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String counters;
}
