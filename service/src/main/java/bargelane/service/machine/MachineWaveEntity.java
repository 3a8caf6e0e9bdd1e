package bargelane.service.machine;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import org.hibernate.annotations.Immutable;

/**
 * The open wave that a machine is in: a view of the database over what the planning keeps. A
 * machine that is in none has no row.
 */
@Entity
@Immutable
@Table(name = "machine_wave")
public class MachineWaveEntity {

  @Id
  @Column(name = "machine_id")
  public String machineId;

  @Column(name = "wave_id")
  public String waveId;

  @Column(name = "wave_name")
  public String waveName;
}
