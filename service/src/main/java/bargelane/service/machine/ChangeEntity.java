package bargelane.service.machine;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.SequenceGenerator;
import jakarta.persistence.Table;
import java.time.Instant;

/** One difference that a scan found. */
@Entity
@Table(name = "machine_change")
public class ChangeEntity {

  @Id
  @GeneratedValue(strategy = GenerationType.SEQUENCE, generator = "machine_change_ids")
  @SequenceGenerator(name = "machine_change_ids", sequenceName = "machine_change_ids")
  public Long id;

  @Column(name = "site_id")
  public String siteId;

  @Column(name = "machine_id")
  public String machineId;

  public Instant at;

  public String kind;

  public String fact = "";

  public String former = "";

  public String present = "";
}
