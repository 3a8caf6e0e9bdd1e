package bargelane.service.usage;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** A machine's counters when they were last looked at. */
@Entity
@Table(name = "usage_counter")
public class UsageCounterEntity {

  @Id
  @Column(name = "machine_id")
  public String machineId;

  /** As JSON. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String counters;
}
