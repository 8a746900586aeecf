import { ElMessage } from 'element-plus'
import 'element-plus/theme-chalk/el-message.css'

export const message = (said: string) =>
  void ElMessage({ message: said, type: 'error', duration: 8000, showClose: true, grouping: true })
